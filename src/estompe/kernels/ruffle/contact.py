"""Which points of a sheet may touch: those that are near each other but not next to each other."""

import math

import numpy as np

from estompe.kernels.cells import cell_of
from estompe.kernels.compile import inner, kernel

_ROOM = 24
"""Pairs for each point that there is room for."""


@kernel
def around(triangles, count):
    """The points beside each along its triangles: starts, int32 (n + 1,), and members, int32, some of them twice."""
    starts = np.zeros(count + 1, np.int32)
    for f in range(triangles.shape[0]):
        for k in range(3):
            starts[triangles[f, k] + 1] += 2
    for i in range(count):
        starts[i + 1] += starts[i]
    at, members = starts[:-1].copy(), np.empty(starts[count], np.int32)
    for f in range(triangles.shape[0]):
        for k in range(3):
            i = triangles[f, k]
            members[at[i]], members[at[i] + 1] = triangles[f, (k + 1) % 3], triangles[f, (k + 2) % 3]
            at[i] += 2
    return starts, members


@inner
def _sorted_into_cells(places, over, mask, counts, keys, order):
    """Points in the order of their cells: `counts` holds where each cell begins."""
    n = places.shape[0]
    for i in range(n):
        keys[i] = cell_of(
            math.floor(places[i, 0] * over), math.floor(places[i, 1] * over), math.floor(places[i, 2] * over), mask
        )
        counts[keys[i] + 1] += 1
    for c in range(mask + 1):
        counts[c + 1] += counts[c]
    at = counts[:-1].copy()
    for i in range(n):
        order[at[keys[i]]] = i
        at[keys[i]] += 1


@inner
def _mark_rings(i, starts, members, mark, second):
    """Mark the ring about a point, and the ring about that."""
    mark[i] = i
    for m in range(starts[i], starts[i + 1]):
        j = members[m]
        mark[j] = i
        for o in range(starts[j], starts[j + 1]):
            second[members[o]] = i


@kernel
def touching_pairs(places, starts, members, reach, thickness, second_share):
    """Pairs that may touch.

    Parameters
    ----------
    places : float64 (n, 3)
        Scene units.
    starts, members : int32
        As `around` gives them.
    reach, thickness : float
        How near a pair is to be listed, and how near it may come, scene units.
    second_share : float
        The share of the thickness that holds for points two edges away.

    Returns
    -------
    pair : int32 (k, 2)
        Ascending by the first of each.
    least : float64 (k,)
        How near they may come.
    """
    n = places.shape[0]
    cells = 64
    while cells < 2 * n:
        cells *= 2
    mask, over = cells - 1, 1.0 / reach
    counts, keys, order = np.zeros(cells + 1, np.int32), np.empty(n, np.int32), np.empty(n, np.int32)
    _sorted_into_cells(places, over, mask, counts, keys, order)
    mark, second = np.full(n, -1, np.int32), np.full(n, -1, np.int32)
    pair, least, k = np.empty((_ROOM * n, 2), np.int32), np.empty(_ROOM * n), 0
    for i in range(n):
        _mark_rings(i, starts, members, mark, second)
        x, y, z = places[i, 0], places[i, 1], places[i, 2]
        cx, cy, cz = math.floor(x * over), math.floor(y * over), math.floor(z * over)
        for step in range(27):
            h = cell_of(cx + step % 3 - 1, cy + step // 3 % 3 - 1, cz + step // 9 - 1, mask)
            for m in range(counts[h], counts[h + 1]):
                j = order[m]
                if j <= i or mark[j] == i:
                    continue
                d = (x - places[j, 0]) ** 2 + (y - places[j, 1]) ** 2 + (z - places[j, 2]) ** 2
                if d < reach * reach and k < pair.shape[0]:
                    mark[j] = i  # two cells may share a hash
                    pair[k, 0], pair[k, 1] = i, j
                    least[k] = thickness * (second_share if second[j] == i else 1.0)
                    k += 1
    return pair[:k].copy(), least[:k].copy()
