"""Angles between normals and the way to somewhere."""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)
_HALF_TURN = np.float32(180.0)
_DEGREES = np.float32(180.0 / np.pi)


@inlined
def _degrees_of(cosine):
    """The angle of a cosine that rounding may have carried past one.

    Abramowitz and Stegun, "Handbook of Mathematical Functions" (1964), 4.4.46: off by less than 2e-8 radians.
    """
    x = min(abs(cosine), _ONE)
    series = np.float32(0.0066700901) + x * np.float32(-0.0012624911)
    series = np.float32(0.0308918810) + x * (np.float32(-0.0170881256) + x * series)
    series = np.float32(0.0889789874) + x * (np.float32(-0.0501743046) + x * series)
    series = np.float32(1.5707963050) + x * (np.float32(-0.2145988016) + x * series)
    angle = np.sqrt(_ONE - x) * series * _DEGREES
    return angle if cosine >= _ZERO else _HALF_TURN - angle


@parallel_kernel
def _of_cosines(cosines, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            out[i] = _degrees_of(cosines[i])


def degrees_of(cosines: Floats) -> Floats:
    """Angles in degrees of cosines that rounding may have carried past one, float32 (n,). cosines: float32 (n,)."""
    out = np.empty(len(cosines), np.float32)
    _of_cosines(read_only(cosines), out)
    return out


@parallel_kernel
def _towards(points, normals, place, out):
    n = out.shape[0]
    px, py, pz = place[0], place[1], place[2]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            x, y, z = px - points[3 * i], py - points[3 * i + 1], pz - points[3 * i + 2]
            along = x * normals[3 * i] + y * normals[3 * i + 1] + z * normals[3 * i + 2]
            out[i] = _degrees_of(along / max(np.sqrt(x * x + y * y + z * z), np.float32(1e-9)))


def degrees_towards(points: Floats, normals: Floats, place: Floats) -> Floats:
    """Degrees between each normal and the way from its point to a place, float32 (n,).

    points, normals: float32 (n, 3), normals of length one; place: float32 (3,).
    """
    out = np.empty(len(points), np.float32)
    _towards(read_only(points).reshape(-1), read_only(normals).reshape(-1), read_only(place), out)
    return out
