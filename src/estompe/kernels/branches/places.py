"""Choosing among candidates: each is taken unless one before it is too near."""

import math

import numpy as np

from estompe.kernels.cells import cell_of
from estompe.kernels.compile import inlined, kernel
from estompe.kernels.types import Matrix


@inlined
def _is_free(positions, following, head, over, square, x, y, z):
    cx, cy, cz, mask = math.floor(x * over), math.floor(y * over), math.floor(z * over), head.shape[0] - 1
    for step in range(27):
        j = head[cell_of(cx + step % 3 - 1, cy + step // 3 % 3 - 1, cz + step // 9 - 1, mask)]
        while j >= 0:
            a, b, c = positions[j, 0] - x, positions[j, 1] - y, positions[j, 2] - z
            if a * a + b * b + c * c < square:
                return False
            j = following[j]
    return True


@kernel
def _spaced(positions, begun, apart, taken):
    n = positions.shape[0]
    cells = 64
    while cells < 2 * n:
        cells *= 2
    head, following = np.full(cells, -1, np.int32), np.empty(n, np.int32)
    over, mask = 1.0 / apart, cells - 1
    for i in range(n):
        x, y, z = positions[i, 0], positions[i, 1], positions[i, 2]
        taken[i] = i < begun or _is_free(positions, following, head, over, apart * apart, x, y, z)
        if taken[i]:
            h = cell_of(math.floor(x * over), math.floor(y * over), math.floor(z * over), mask)
            following[i] = head[h]
            head[h] = i


def spaced(positions: Matrix, begun: int, apart: float) -> np.ndarray:
    """Which of some places stay, each deciding after those before it.

    Parameters
    ----------
    positions : float64 (n, 3)
        Places, scene units.
    begun : int
        How many at the beginning stay whatever is near.
    apart : float
        The least distance to a place before that stays, scene units.

    Returns
    -------
    bool (n,)
        Which stay.
    """
    taken = np.empty(len(positions), np.bool_)
    _spaced(positions, begun, apart, taken)
    return taken
