"""The volume that triangles enclose."""

import numpy as np

from estompe.kernels.compile import kernel
from estompe.kernels.types import Floats, Indices, read_only


@kernel
def _volume(points, triangles):
    # Measured from the first point, so that far from the origin nothing is lost.
    ox, oy, oz = np.float64(points[0, 0]), np.float64(points[0, 1]), np.float64(points[0, 2])
    total = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = points[a, 0] - ox, points[a, 1] - oy, points[a, 2] - oz
        bx, by, bz = points[b, 0] - ox, points[b, 1] - oy, points[b, 2] - oz
        cx, cy, cz = points[c, 0] - ox, points[c, 1] - oy, points[c, 2] - oz
        total += ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
    return total / 6.0


def enclosed_volume(points: Floats, triangles: Indices) -> float:
    """Cubic scene units, summed in float64. points: float32 (n, 3); triangles: int32 (t, 3), outwards counter-clockwise."""
    return float(_volume(read_only(points), read_only(triangles))) if len(triangles) else 0.0
