"""Remapping values through a range and a piecewise cubic ramp."""

import numpy as np
from numba import prange

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel
from estompe.kernels.types import Floats, read_only


@inlined
def _block(values, out, full, over, knots, cubics, clamp):
    count = out.shape[0]
    t = np.empty(BLOCK, np.float32)
    zero = np.float32(0.0)
    one = np.float32(1.0)
    for i in range(count):
        t[i] = min(max((values[i] - full) * over, zero), one)
    # One pass per piece over a block that stays in the cache: selects vectorise, table look-ups do not.
    for k in range(knots.shape[0]):
        knot, a, b, c, d = knots[k], cubics[k, 0], cubics[k, 1], cubics[k, 2], cubics[k, 3]
        if k == 0:
            for i in range(count):
                u = t[i] - knot
                out[i] = ((d * u + c) * u + b) * u + a
        else:
            for i in range(count):
                u = t[i] - knot
                piece = ((d * u + c) * u + b) * u + a
                out[i] = piece if t[i] >= knot else out[i]
    if clamp:
        for i in range(count):
            out[i] = min(max(out[i], zero), one)


@kernel
def _remap_serial(values, out, full, over, knots, cubics, clamp):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block(values[begin:end], out[begin:end], full, over, knots, cubics, clamp)


@parallel_kernel
def _remap_parallel(values, out, full, over, knots, cubics, clamp):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block(values[begin:end], out[begin:end], full, over, knots, cubics, clamp)


def remap(values: Floats, full: float, gone: float, knots: Floats, cubics: Floats, clamp: bool) -> Floats:
    """Values through a range onto 0..1 and then through piecewise cubics.

    values: float32 (n,); full, gone: the values that map to ramp position 0 and 1; knots: float32 (k,), ascending, the
    first at or below 0; cubics: float32 (k, 4), coefficients in (position - knot), constant first; clamp: keep the
    result in 0..1. Where full equals gone the ramp is a step there. Returns float32 (n,).
    """
    out = np.empty(len(values), np.float32)
    width = np.float32(gone) - np.float32(full)
    over = np.float32(1.0) / width if abs(width) > 1e-37 else np.float32(np.finfo(np.float32).max)
    run = _remap_serial if len(values) < PARALLEL_FROM else _remap_parallel
    run(read_only(values), out, np.float32(full), over, read_only(knots), read_only(cubics), clamp)
    return out
