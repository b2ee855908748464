"""Moving points by strength in ways that are computed from each point's own place: turn, size, twist, bend, and the like.

One pair of loops serves them all; the way is chosen per block of points, so that each way's own loop vectorises.
"""

from enum import IntEnum

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.functions import powers, sine_cosine
from estompe.kernels.transform import taken_into
from estompe.kernels.types import Floats, Matrix, read_only


class Deformation(IntEnum):
    """What happens to each point. Places are in the way's own space; numbers are the settings it takes."""

    ROTATE = 0
    """About Y; numbers: radians."""
    SCALE = 1
    """About the origin; numbers: factors along X, Y, Z."""
    TWIST = 2
    """About Y; numbers: radians at the upper end, low and high end."""
    BEND = 3
    """In the XY plane; numbers: radians over the length, low and high end."""
    TAPER = 4
    """Across Y; numbers: factor at the upper end, low and high end."""
    ATTRACT = 5
    """Towards the origin; numbers: intensity, exponent, reach at which the pull is the intensity."""
    AWAY = 6
    """From the origin in the XZ plane; numbers: length."""


_ROTATE, _SCALE, _TWIST, _BEND = (
    int(Deformation.ROTATE),
    int(Deformation.SCALE),
    int(Deformation.TWIST),
    int(Deformation.BEND),
)
_TAPER, _ATTRACT = int(Deformation.TAPER), int(Deformation.ATTRACT)

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)


@inlined
def _rotate(x, y, z, strength, n, count):
    for i in range(count):
        s, c = sine_cosine(n[0] * strength[i])
        px, pz = x[i], z[i]
        x[i] = c * px + s * pz
        z[i] = c * pz - s * px


@inlined
def _scale(x, y, z, strength, n, count):
    for i in range(count):
        x[i] *= _ONE + (n[0] - _ONE) * strength[i]
        y[i] *= _ONE + (n[1] - _ONE) * strength[i]
        z[i] *= _ONE + (n[2] - _ONE) * strength[i]


@inlined
def _twist(x, y, z, strength, n, count):
    over = _ONE / max(n[2] - n[1], np.float32(1e-9))
    for i in range(count):
        fraction = min(max((y[i] - n[1]) * over, _ZERO), _ONE)
        s, c = sine_cosine(n[0] * fraction * strength[i])
        px, pz = x[i], z[i]
        x[i] = c * px + s * pz
        z[i] = c * pz - s * px


@inlined
def _bend(x, y, z, strength, n, count):
    length = max(n[2] - n[1], np.float32(1e-9))
    for i in range(count):
        angle = n[0] * strength[i]
        # A bend by nothing has an endless radius; below this the way there and back is lost in rounding.
        safe = angle if abs(angle) > np.float32(1e-4) else np.float32(1e-4)
        radius = length / safe
        along = min(max(y[i] - n[1], _ZERO), length)
        s, c = sine_cosine(safe * along / length)
        beyond = y[i] - n[1] - along
        out = radius - x[i]
        bx = radius - out * c + beyond * s
        by = n[1] + out * s + beyond * c
        bent = abs(angle) > np.float32(1e-4)
        x[i] = bx if bent else x[i]
        y[i] = by if bent else y[i]


@inlined
def _taper(x, y, z, strength, n, count):
    over = _ONE / max(n[2] - n[1], np.float32(1e-9))
    for i in range(count):
        fraction = min(max((y[i] - n[1]) * over, _ZERO), _ONE)
        factor = _ONE + (n[0] - _ONE) * fraction * strength[i]
        x[i] *= factor
        z[i] *= factor


@inlined
def _attract(x, y, z, strength, n, count):
    weaker = np.empty(BLOCK, np.float32)
    for i in range(count):
        distance = np.sqrt(x[i] * x[i] + y[i] * y[i] + z[i] * z[i])
        weaker[i] = n[2] / max(distance, n[2] * np.float32(1e-3))
    powers(weaker, n[1], count)
    for i in range(count):
        distance = np.sqrt(x[i] * x[i] + y[i] * y[i] + z[i] * z[i])
        pull = n[0] * strength[i] * weaker[i]
        # Never past the target: at most the whole way.
        fraction = min(pull / max(distance, np.float32(1e-12)), _ONE)
        x[i] -= x[i] * fraction
        y[i] -= y[i] * fraction
        z[i] -= z[i] * fraction


@inlined
def _away(x, y, z, strength, n, count):
    for i in range(count):
        flat = max(np.sqrt(x[i] * x[i] + z[i] * z[i]), np.float32(1e-9))
        step = n[0] * strength[i] / flat
        x[i] += x[i] * step
        z[i] += z[i] * step


@inlined
def _block(points, strength, way, to_local, to_world, numbers, out):
    count = strength.shape[0]
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    n = numbers
    taken_into(points, to_local, x, y, z)
    if way == _ROTATE:
        _rotate(x, y, z, strength, n, count)
    elif way == _SCALE:
        _scale(x, y, z, strength, n, count)
    elif way == _TWIST:
        _twist(x, y, z, strength, n, count)
    elif way == _BEND:
        _bend(x, y, z, strength, n, count)
    elif way == _TAPER:
        _taper(x, y, z, strength, n, count)
    elif way == _ATTRACT:
        _attract(x, y, z, strength, n, count)
    else:
        _away(x, y, z, strength, n, count)
    a, b, c, d = to_world[0, 0], to_world[0, 1], to_world[0, 2], to_world[0, 3]
    e, f, g, h = to_world[1, 0], to_world[1, 1], to_world[1, 2], to_world[1, 3]
    j, k, m, o = to_world[2, 0], to_world[2, 1], to_world[2, 2], to_world[2, 3]
    for i in range(count):
        # Points without strength keep every bit, whatever rounding the way there and back would bring.
        moved = strength[i] != _ZERO
        px, py, pz = x[i], y[i], z[i]
        out[3 * i] = a * px + b * py + c * pz + d if moved else points[3 * i]
        out[3 * i + 1] = e * px + f * py + g * pz + h if moved else points[3 * i + 1]
        out[3 * i + 2] = j * px + k * py + m * pz + o if moved else points[3 * i + 2]


@kernel
def _deform_serial(points, strength, way, to_local, to_world, numbers, out):
    n = strength.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(points[3 * b : 3 * e], strength[b:e], way, to_local, to_world, numbers, out[3 * b : 3 * e])


@parallel_kernel
def _deform_parallel(points, strength, way, to_local, to_world, numbers, out):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(points[3 * b : 3 * e], strength[b:e], way, to_local, to_world, numbers, out[3 * b : 3 * e])


def deform(
    points: Floats, strength: Floats, way: Deformation, to_local: Matrix, to_world: Matrix, numbers: list[float]
) -> Floats:
    """Each point taken into the way's own space, moved there by its strength, and brought to_world.

    points: float32 (n, 3); strength: float32 (n,); to_local, to_world: (3, 4), world to own space and back; numbers: what the way
    takes. Returns float32 (n, 3).
    """
    out = np.empty_like(points)
    run = _deform_serial if len(points) < PARALLEL_FROM else _deform_parallel
    own, world = to_local.astype(np.float32), to_world.astype(np.float32)
    run(
        read_only(points).reshape(-1),
        read_only(strength),
        int(way),
        own,
        world,
        np.array(numbers, np.float32),
        out.reshape(-1),
    )
    return out
