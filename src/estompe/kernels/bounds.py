"""The box around points."""

import numpy as np

from estompe.kernels import PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only

_PARTS = 16


@inlined
def _range(points, first, last, low, high):
    a, b, c = points[first, 0], points[first, 1], points[first, 2]
    d, e, f = a, b, c
    for p in range(first + 1, last):
        x, y, z = points[p, 0], points[p, 1], points[p, 2]
        a, b, c = min(a, x), min(b, y), min(c, z)
        d, e, f = max(d, x), max(e, y), max(f, z)
    low[0], low[1], low[2] = a, b, c
    high[0], high[1], high[2] = d, e, f


@kernel
def _serial(points, lows, highs):
    _range(points, 0, points.shape[0], lows[0], highs[0])


@parallel_kernel
def _parallel(points, lows, highs):
    n, parts = points.shape[0], lows.shape[0]
    for part in prange(parts):
        _range(points, part * n // parts, (part + 1) * n // parts, lows[part], highs[part])


def bounds(points: Floats) -> tuple[Floats, Floats]:
    """Lowest and highest corner of the box around points, two float32 (3,). points: float32 (n, 3), n at least 1."""
    parts = 1 if len(points) < PARALLEL_FROM else _PARTS
    lows, highs = np.empty((parts, 3), np.float32), np.empty((parts, 3), np.float32)
    run = _serial if parts == 1 else _parallel
    run(read_only(points), lows, highs)
    return lows.min(axis=0), highs.max(axis=0)
