"""Points swayed by a field of pendulums.

At each place of a lattice in the world hangs a pendulum with a phase and a pace of its own. Between them their swings
are blended with the quintic fade of gradient noise and brought to the same spread everywhere: blending alone would
make places amid eight pendulums calmer than the pendulums themselves. A field of half the width and half the weight is
added. Time costs nothing this way, unlike a fourth dimension of noise, and a loop closes exactly (`estompe.kernels.swings`).
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels import BLOCK, SPAN
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.functions import powers
from estompe.kernels.noise import _MIX, _MIX_AGAIN, _X, _Y, _Z, _fade, _mix, _octave_seed
from estompe.kernels.swings import pace_of
from estompe.kernels.swings import swings as time_of
from estompe.kernels.types import Floats, read_only

_ZERO, _ONE, _TWO = np.float32(0.0), np.float32(1.0), np.float32(2.0)
_HALF_TURN = np.float32(2.0**31)
# Phases count 2^32 to a turn, so the arc below has its height at a quarter of that, squared. The fraction makes one in a
# hundred reach beyond the amount.
_SCALE = 0.55 / 2.0**60


@inlined
def _pendulum(bits, turn, slowest, paces):
    """Where the pendulum of a lattice place is: two parabolas in turn, which differ from a sine by 0.06 at most."""
    bits = np.uint32(bits ^ np.uint32(bits >> np.uint32(15)))
    bits = np.uint32(bits * _MIX)
    bits = np.uint32(bits ^ np.uint32(bits >> np.uint32(13)))
    pace = pace_of(bits, slowest, paces)
    phase = np.float32(np.int32(np.uint32(np.uint32(bits * _MIX_AGAIN) + np.uint32(turn * pace))))
    return phase * (_HALF_TURN - abs(phase))


@inlined
def _spread(t):
    return _ONE - _TWO * t * (_ONE - t)


@inlined
def _field(x, y, z, seed, turn, slowest, paces):
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    u, v, w = _fade(np.float32(x - fx)), _fade(np.float32(y - fy)), _fade(np.float32(z - fz))
    hx = np.uint32(np.uint32(np.int32(fx)) * _X)
    hy = np.uint32(np.uint32(np.int32(fy)) * _Y)
    nz = np.uint32(np.uint32(np.int32(fz)) * _Z)
    gx, gy = np.uint32(hx + _X), np.uint32(hy + _Y)
    hz, gz = np.uint32(nz ^ seed), np.uint32(np.uint32(nz + _Z) ^ seed)
    a, b, c, d = np.uint32(hy ^ hz), np.uint32(gy ^ hz), np.uint32(hy ^ gz), np.uint32(gy ^ gz)
    low = _mix(
        _mix(_pendulum(np.uint32(hx ^ a), turn, slowest, paces), _pendulum(np.uint32(gx ^ a), turn, slowest, paces), u),
        _mix(_pendulum(np.uint32(hx ^ b), turn, slowest, paces), _pendulum(np.uint32(gx ^ b), turn, slowest, paces), u),
        v,
    )
    high = _mix(
        _mix(_pendulum(np.uint32(hx ^ c), turn, slowest, paces), _pendulum(np.uint32(gx ^ c), turn, slowest, paces), u),
        _mix(_pendulum(np.uint32(hx ^ d), turn, slowest, paces), _pendulum(np.uint32(gx ^ d), turn, slowest, paces), u),
        v,
    )
    return _mix(low, high, w) / np.sqrt(_spread(u) * _spread(v) * _spread(w))


@inlined
def _freedom(rest, axis, low, over, stiffness, free, fraction):
    """How freely each point sways for where it is between the ends of the shape at rest."""
    count = free.shape[0]
    # Each axis has a loop of its own: only where the place of a number is known does loading it vectorise.
    if axis == 0:
        for i in range(count):
            free[i] = (rest[3 * i] - low) * over
    elif axis == 1:
        for i in range(count):
            free[i] = (rest[3 * i + 1] - low) * over
    else:
        for i in range(count):
            free[i] = (rest[3 * i + 2] - low) * over
    for i in range(count):
        fraction[i] = free[i]
        # A power needs something above zero.
        free[i] = max(free[i], np.float32(1e-12))
    powers(free, stiffness, count)
    for i in range(count):
        free[i] = free[i] if fraction[i] > _ZERO else _ZERO


@parallel_kernel
def _swayed(points, rest, axis, low, over, stiffness, strength, frequency, turns, slowest, paces, seed, by, out):
    n = strength.shape[0]
    for span in prange((n + SPAN - 1) // SPAN):
        scratch, wind = np.empty((5, BLOCK), np.float32), np.empty((3, BLOCK), np.float32)
        x, y, z, free, fraction = scratch[0], scratch[1], scratch[2], scratch[3], scratch[4]
        for first in range(span * SPAN, min(n, (span + 1) * SPAN), BLOCK):
            last = min(n, first + BLOCK)
            count = last - first
            own, made, strong = points[3 * first : 3 * last], out[3 * first : 3 * last], strength[first:last]
            for i in range(count):
                x[i], y[i], z[i] = own[3 * i] * frequency, own[3 * i + 1] * frequency, own[3 * i + 2] * frequency
            free[:] = _ONE
            if axis >= 0:
                _freedom(rest[3 * first : 3 * last], axis, low, over, stiffness, free[:count], fraction)
            wind[:] = _ZERO
            for way in range(3):
                if by[way] != _ZERO:
                    blown, scale, weight = wind[way], _ONE, by[way]
                    for octave in range(2):
                        own_seed, turn = _octave_seed(seed + np.uint32(way), octave), turns[octave]
                        for i in range(count):
                            blown[i] += weight * _field(
                                x[i] * scale, y[i] * scale, z[i] * scale, own_seed, turn, slowest, paces
                            )
                        scale, weight = np.float32(scale * _TWO), np.float32(weight / _TWO)
            for i in range(count):
                s = strong[i] * free[i]
                made[3 * i] = own[3 * i] + s * wind[0, i]
                made[3 * i + 1] = own[3 * i + 1] + s * wind[1, i]
                made[3 * i + 2] = own[3 * i + 2] + s * wind[2, i]


class Root(NamedTuple):
    """What holds swaying points: they are free as far as they are from `low` to `high` along an axis at rest, to a power."""

    rest: Floats
    axis: int
    low: float
    high: float
    stiffness: float


def swayed(
    points: Floats,
    strength: Floats,
    root: Root | None,
    by: tuple[float, float, float],
    size: float,
    swings: float,
    seed: int,
    turns: int = 0,
) -> Floats:
    """Points moved to and fro by wind, float32 (n, 3).

    points: float32 (n, 3), world; strength: float32 (n,); by: how far along X, Y and Z, scene units, which one in a
    hundred goes beyond; size: the width of the larger field's cells, scene units; swings: time, in swings of the mean pace;
    turns: of them after which all is back, 0 for never.
    """
    rest, axis, low, over, stiffness = points, -1, 0.0, 0.0, 1.0
    if root is not None:
        rest, axis, low, stiffness = root.rest, root.axis, root.low, root.stiffness
        over = 1.0 / (root.high - low) if root.high > low else 0.0
    turn, slowest, paces = time_of(swings, turns)
    out = np.empty_like(points)
    _swayed(
        read_only(points).reshape(-1),
        read_only(rest).reshape(-1),
        axis,
        np.float32(low),
        np.float32(over),
        np.float32(stiffness),
        read_only(strength),
        np.float32(1.0 / max(size, 1e-6)),
        np.array([int(turn), 2 * int(turn) % 2**32], np.uint32),
        slowest,
        paces,
        np.uint32(seed),
        np.array(by, np.float32) * np.float32(_SCALE),
        out.reshape(-1),
    )
    return out
