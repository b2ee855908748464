"""Points through a matrix."""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.types import Floats, Matrix, read_only

_FEW = 4096


@inlined
def taken_into(points, m, x, y, z):
    """Interleaved places of a block through a matrix into arrays of the block's own, whose loops vectorise."""
    # The matrix stands in locals: as an array it might alias x, y, z.
    a, b, c, d = m[0, 0], m[0, 1], m[0, 2], m[0, 3]
    e, f, g, h = m[1, 0], m[1, 1], m[1, 2], m[1, 3]
    j, k, l, o = m[2, 0], m[2, 1], m[2, 2], m[2, 3]  # noqa: E741
    for i in range(points.shape[0] // 3):
        px, py, pz = points[3 * i], points[3 * i + 1], points[3 * i + 2]
        x[i] = a * px + b * py + c * pz + d
        y[i] = e * px + f * py + g * pz + h
        z[i] = j * px + k * py + l * pz + o


@parallel_kernel
def _transformed(points, m, out):
    n = points.shape[0] // 3
    # The matrix stands in locals: as an array it might alias the result, and the loop would not vectorise.
    a, b, c, d = m[0, 0], m[0, 1], m[0, 2], m[0, 3]
    e, f, g, h = m[1, 0], m[1, 1], m[1, 2], m[1, 3]
    j, k, l, o = m[2, 0], m[2, 1], m[2, 2], m[2, 3]  # noqa: E741
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        own, moved = points[3 * first : 3 * last], out[3 * first : 3 * last]
        for i in range(last - first):
            x, y, z = own[3 * i], own[3 * i + 1], own[3 * i + 2]
            moved[3 * i] = a * x + b * y + c * z + d
            moved[3 * i + 1] = e * x + f * y + g * z + h
            moved[3 * i + 2] = j * x + k * y + l * z + o


def transformed(points: Floats, matrix: Matrix) -> Floats:
    """Points through a matrix, float32 (n, 3). points: float32 (n, 3); matrix: (3, 4)."""
    if len(points) < _FEW:
        moved = points @ matrix[:, :3].T.astype(np.float32)
        moved += matrix[:, 3].astype(np.float32)
        return moved
    out = np.empty_like(points)
    _transformed(read_only(points).reshape(-1), matrix.astype(np.float32), out.reshape(-1))
    return out
