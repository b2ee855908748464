"""Smoothing over neighbours: points towards the mean of those around them, and values the same way."""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only


@inlined
def _points_range(points, starts, members, weight, factor, first, last, out):
    for p in range(first, last):
        begin, end = starts[p], starts[p + 1]
        x, y, z = points[3 * p], points[3 * p + 1], points[3 * p + 2]
        mx, my, mz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for m in range(begin, end):
            # Unsigned, so that no index is asked whether it counts from the end.
            q = np.uint64(3) * np.uint64(members[m])
            mx += points[q]
            my += points[q + np.uint64(1)]
            mz += points[q + np.uint64(2)]
        fraction = factor * weight[p] if end > begin else np.float32(0.0)
        over = np.float32(1.0) / np.float32(max(end - begin, 1))
        out[3 * p] = x + fraction * (mx * over - x)
        out[3 * p + 1] = y + fraction * (my * over - y)
        out[3 * p + 2] = z + fraction * (mz * over - z)


@kernel
def _points_serial(points, starts, members, weight, factor, out):
    _points_range(points, starts, members, weight, factor, np.int64(0), weight.shape[0], out)


@parallel_kernel
def _points_parallel(points, starts, members, weight, factor, out):
    n = weight.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        _points_range(points, starts, members, weight, factor, block * BLOCK, min(n, (block + 1) * BLOCK), out)


def towards_neighbours(points: Floats, starts: Indices, members: Indices, weight: Floats, factor: float) -> Floats:
    """Each point moved towards the mean of its neighbours by factor times its weight; away from it where that is negative.

    points: float32 (n, 3); starts: int32 (n + 1,) and members: int32, the neighbours of each point; weight: float32 (n,).
    Returns float32 (n, 3).
    """
    out = np.empty_like(points)
    run = _points_serial if len(points) < PARALLEL_FROM // 4 else _points_parallel
    around = read_only(starts), read_only(members)
    run(read_only(points).reshape(-1), *around, read_only(weight), np.float32(factor), out.reshape(-1))
    return out


@parallel_kernel
def _values(values, starts, members, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for p in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            begin, end = starts[p], starts[p + 1]
            total = values[p]
            for m in range(begin, end):
                total += values[np.uint64(members[m])]
            out[p] = total / np.float32(end - begin + 1)


def blurred(values: Floats, starts: Indices, members: Indices, rings: int) -> Floats:
    """Values averaged with those of the neighbours, as often as rings says. values: float32 (n,). Returns float32 (n,)."""
    for _ in range(rings):
        out = np.empty_like(values)
        _values(read_only(values), read_only(starts), read_only(members), out)
        values = out
    return values
