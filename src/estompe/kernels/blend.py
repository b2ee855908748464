"""Values brought towards others as far as a strength says, and differences added up.

Loops run over slices of their block, whose numbers cannot count from the end: only such loops vectorise.
"""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import parallel_kernel, prange
from estompe.kernels.types import Floats, read_only


@parallel_kernel
def _towards(values, stride, goal, strength, out):
    n = strength.shape[0]
    zero, one = np.float32(0.0), np.float32(1.0)
    r, g, b = goal[0], goal[1], goal[2]
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        own, made, strong = values[stride * first :], out[3 * first : 3 * last], strength[first:last]
        for i in range(last - first):
            s, at = strong[i], stride * i
            x, y, z = own[at], own[at + 1], own[at + 2]
            made[3 * i] = min(max(x + s * (r - x), zero), one)
            made[3 * i + 1] = min(max(y + s * (g - y), zero), one)
            made[3 * i + 2] = min(max(z + s * (b - z), zero), one)


def towards(values: Floats, goal: Floats, strength: Floats) -> Floats:
    """Colours on their way to one goal, kept in 0..1, float32 (n, 3).

    values: float32 (n, 3), or (3,) where all begin alike; goal: float32 (3,); strength: float32 (n,).
    """
    out = np.empty((len(strength), 3), np.float32)
    stride = 3 if values.ndim == 2 else 0
    _towards(read_only(np.ascontiguousarray(values).reshape(-1)), stride, goal, read_only(strength), out.reshape(-1))
    return out


@parallel_kernel
def _add_difference(total, places, rest, amount):
    n = total.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        sums, place, own = total[first:last], places[first:last], rest[first:last]
        for i in range(last - first):
            sums[i] += amount * (place[i] - own[i])


@parallel_kernel
def _moved(points, steps, m, strength, out):
    n = strength.shape[0]
    a, b, c = m[0, 0], m[0, 1], m[0, 2]
    d, e, f = m[1, 0], m[1, 1], m[1, 2]
    g, h, j = m[2, 0], m[2, 1], m[2, 2]
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        own, step = points[3 * first : 3 * last], steps[3 * first : 3 * last]
        made, strong = out[3 * first : 3 * last], strength[first:last]
        for i in range(last - first):
            x, y, z, s = step[3 * i], step[3 * i + 1], step[3 * i + 2], strong[i]
            made[3 * i] = own[3 * i] + s * (a * x + b * y + c * z)
            made[3 * i + 1] = own[3 * i + 1] + s * (d * x + e * y + f * z)
            made[3 * i + 2] = own[3 * i + 2] + s * (g * x + h * y + j * z)


def differences(rest: Floats, variants: list[tuple[Floats, float]]) -> Floats:
    """What variants differ from rest, times their amounts, added up. All float32 (n, 3)."""
    total = np.zeros_like(rest)
    for places, amount in variants:
        _add_difference(
            total.reshape(-1), read_only(places).reshape(-1), read_only(rest).reshape(-1), np.float32(amount)
        )
    return total


def moved_by(points: Floats, steps: Floats, turned: Floats, strength: Floats) -> Floats:
    """Each point moved by a step of its own, turned, times its strength, float32 (n, 3).

    points, steps: float32 (n, 3); turned: float32 (3, 3); strength: float32 (n,).
    """
    out = np.empty_like(points)
    _moved(read_only(points).reshape(-1), read_only(steps).reshape(-1), turned, read_only(strength), out.reshape(-1))
    return out
