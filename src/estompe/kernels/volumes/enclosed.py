"""The volume that triangles enclose."""

import numpy as np

from estompe.kernels.compile import inlined, kernel
from estompe.kernels.types import Floats, Indices, read_only


@kernel
def _volume(points, triangles):
    # Measured from the first point, so that far from the origin nothing is lost.
    ox, oy, oz = np.float64(points[0, 0]), np.float64(points[0, 1]), np.float64(points[0, 2])
    total = 0.0
    for t in range(triangles.shape[0]):
        # Unsigned, so that no index is asked whether it counts from the end.
        a, b, c = np.uint64(triangles[t, 0]), np.uint64(triangles[t, 1]), np.uint64(triangles[t, 2])
        ax, ay, az = points[a, 0] - ox, points[a, 1] - oy, points[a, 2] - oz
        bx, by, bz = points[b, 0] - ox, points[b, 1] - oy, points[b, 2] - oz
        cx, cy, cz = points[c, 0] - ox, points[c, 1] - oy, points[c, 2] - oz
        total += ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
    return total / 6.0


def enclosed_volume(points: Floats, triangles: Indices) -> float:
    """Cubic scene units, summed in float64. points: float32 (n, 3); triangles: int32 (t, 3), outwards counter-clockwise."""
    return float(_volume(read_only(points), read_only(triangles))) if len(triangles) else 0.0


@inlined
def _from(points, i, ox, oy, oz):
    return points[i, 0] - ox, points[i, 1] - oy, points[i, 2] - oz


@inlined
def _cross(a, b):
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@inlined
def _dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel
def _volume_along(points, along, triangles):
    ox, oy, oz = np.float64(points[0, 0]), np.float64(points[0, 1]), np.float64(points[0, 2])
    none, once, twice, thrice = 0.0, 0.0, 0.0, 0.0
    for t in range(triangles.shape[0]):
        i, j, k = np.uint64(triangles[t, 0]), np.uint64(triangles[t, 1]), np.uint64(triangles[t, 2])
        a, b, c = _from(points, i, ox, oy, oz), _from(points, j, ox, oy, oz), _from(points, k, ox, oy, oz)
        da, db, dc = _from(along, i, 0.0, 0.0, 0.0), _from(along, j, 0.0, 0.0, 0.0), _from(along, k, 0.0, 0.0, 0.0)
        still, both = _cross(b, c), _cross(db, dc)
        first, second = _cross(db, c), _cross(b, dc)
        one = first[0] + second[0], first[1] + second[1], first[2] + second[2]
        none += _dot(a, still)
        once += _dot(da, still) + _dot(a, one)
        twice += _dot(da, one) + _dot(a, both)
        thrice += _dot(da, both)
    return none / 6.0, once / 6.0, twice / 6.0, thrice / 6.0


def volume_along(points: Floats, along: Floats, triangles: Indices) -> tuple[float, float, float, float]:
    """The enclosed volume when each point has moved so many times along a direction of its own: a cubic, constant first.

    points, along: float32 (n, 3); triangles: int32 (t, 3). Cubic scene units, summed in float64.
    """
    if not len(triangles):
        return 0.0, 0.0, 0.0, 0.0
    none, once, twice, thrice = _volume_along(read_only(points), read_only(along), read_only(triangles))
    return none, once, twice, thrice
