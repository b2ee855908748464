"""Remapping values, or two arrays of them joined, through a range and a piecewise cubic ramp."""

from enum import IntEnum

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only


class Joining(IntEnum):
    """What is done with two values before they are remapped."""

    MULTIPLY = 0
    ADD = 1
    SUBTRACT = 2
    LARGER = 3
    SMALLER = 4


_MULTIPLY, _ADD, _SUBTRACT, _LARGER = (int(way) for way in list(Joining)[:4])


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


@inlined
def _joined_block(above, values, joining, out, full, over, knots, cubics, clamp):
    count = out.shape[0]
    both = np.empty(BLOCK, np.float32)
    if joining == _MULTIPLY:
        for i in range(count):
            both[i] = above[i] * values[i]
    elif joining == _ADD:
        for i in range(count):
            both[i] = above[i] + values[i]
    elif joining == _SUBTRACT:
        for i in range(count):
            both[i] = above[i] - values[i]
    elif joining == _LARGER:
        for i in range(count):
            both[i] = max(above[i], values[i])
    else:
        for i in range(count):
            both[i] = min(above[i], values[i])
    _block(both, out, full, over, knots, cubics, clamp)


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


@kernel
def _remap_joined_serial(above, values, joining, out, full, over, knots, cubics, clamp):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _joined_block(above[begin:end], values[begin:end], joining, out[begin:end], full, over, knots, cubics, clamp)


@parallel_kernel
def _remap_joined_parallel(above, values, joining, out, full, over, knots, cubics, clamp):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _joined_block(above[begin:end], values[begin:end], joining, out[begin:end], full, over, knots, cubics, clamp)


def remap(values: Floats, full: float, gone: float, knots: Floats, cubics: Floats, clamp: bool) -> Floats:
    """Values through a range onto 0..1 and then through piecewise cubics.

    values: float32 (n,); full, gone: the values that map to ramp position 0 and 1; knots: float32 (k,), ascending, the
    first at or below 0; cubics: float32 (k, 4), coefficients in (position - knot), constant first; clamp: keep the
    result in 0..1. Where full equals gone the ramp is a step there. Returns float32 (n,).
    """
    out = np.empty(len(values), np.float32)
    run = _remap_serial if len(values) < PARALLEL_FROM else _remap_parallel
    run(read_only(values), out, np.float32(full), _over(full, gone), read_only(knots), read_only(cubics), clamp)
    return out


def remap_joined(
    above: Floats,
    values: Floats,
    joining: Joining,
    full: float,
    gone: float,
    knots: Floats,
    cubics: Floats,
    clamp: bool,
) -> Floats:
    """The same bits as joining two arrays and remapping the result, in one pass and without keeping it.

    above, values: float32 (n,), above first where the order matters; the rest as for `remap`. Returns float32 (n,).
    """
    out = np.empty(len(values), np.float32)
    run = _remap_joined_serial if len(values) < PARALLEL_FROM else _remap_joined_parallel
    ends = np.float32(full), _over(full, gone)
    run(read_only(above), read_only(values), int(joining), out, *ends, read_only(knots), read_only(cubics), clamp)
    return out


def _over(full: float, gone: float) -> np.float32:
    width = np.float32(gone) - np.float32(full)
    return np.float32(1.0) / width if abs(width) > 1e-37 else np.float32(np.finfo(np.float32).max)
