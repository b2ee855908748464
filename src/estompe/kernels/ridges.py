"""Grooves between ridges around an axis."""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.functions import powers, sine_cosine
from estompe.kernels.types import Floats, read_only

_ONE = np.float32(1.0)


@inlined
def _turns(x, z, count, c, s):
    """Cosine and sine of so many times the angle of (x, z): a complex number to a whole power, by squaring."""
    for i in range(x.shape[0]):
        c[i], s[i] = _ONE, np.float32(0.0)
    while count > 0:
        odd = count & 1
        for i in range(x.shape[0]):
            p, q = x[i], z[i]
            cc, ss = c[i] * p - s[i] * q, c[i] * q + s[i] * p
            c[i] = cc if odd else c[i]
            s[i] = ss if odd else s[i]
            x[i], z[i] = p * p - q * q, np.float32(2.0) * p * q
        count >>= 1


@parallel_kernel
def _grooves(rest, order, strength, count, twist, sharpness, dies_out, out):
    n = strength.shape[0]
    over = _ONE / max(dies_out, np.float32(1e-9))
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        size = last - first
        x, z = np.empty(size, np.float32), np.empty(size, np.float32)
        c, s, wave = np.empty(size, np.float32), np.empty(size, np.float32), np.empty(size, np.float32)
        # Slices of the block, whose numbers cannot count from the end: only such loops vectorise.
        own, along, strong, deep = rest[3 * first : 3 * last], order[first:last], strength[first:last], out[first:last]
        for i in range(size):
            px, pz = own[3 * i], own[3 * i + 2]
            length = np.sqrt(px * px + pz * pz)
            on_axis = length < np.float32(1e-20)
            under = _ONE / max(length, np.float32(1e-20))
            x[i] = _ONE if on_axis else px * under
            z[i] = np.float32(0.0) if on_axis else pz * under
        _turns(x, z, count, c, s)
        for i in range(size):
            sine, cosine = sine_cosine(np.float32(count) * twist * along[i])
            wave[i] = max(np.float32(0.5) - np.float32(0.5) * (c[i] * cosine - s[i] * sine), np.float32(0.0))
        if sharpness != _ONE:
            for i in range(size):
                c[i] = wave[i]
                # A power needs something above zero.
                wave[i] = max(wave[i], np.float32(1e-30))
            powers(wave, sharpness, size)
            for i in range(size):
                wave[i] = wave[i] if c[i] > np.float32(0.0) else np.float32(0.0)
        for i in range(size):
            t = min(max(min(along[i], _ONE - along[i]) * over, np.float32(0.0)), _ONE)
            within = t * t * (np.float32(3.0) - np.float32(2.0) * t)
            deep[i] = wave[i] * within * strong[i]


def grooves(
    rest: Floats, order: Floats, strength: Floats, count: int, twist: float, sharpness: float, dies_out: float
) -> Floats:
    """How deep each point lies between ridges around Y, 0 on a ridge, up to its strength, float32 (n,).

    rest: float32 (n, 3); order: float32 (n,), along the profile, 0..1; twist: radians over the whole profile; sharpness:
    an exponent; dies_out: fraction of the profile at each end over which the grooves fall to nothing.
    """
    out = np.empty(len(strength), np.float32)
    numbers = [np.float32(number) for number in (twist, sharpness, dies_out)]
    _grooves(read_only(rest).reshape(-1), read_only(order), read_only(strength), count, *numbers, out)
    return out
