"""Trees as lines: a line goes on with the heaviest child, and others begin at the fork with a vertex of their own."""

from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import kernel
from estompe.kernels.types import Indices


class Cut(NamedTuple):
    """Lines of a tree.

    node: int32 (k,), the node of each vertex, forks once more for each line that begins there; offsets: int32 (lines + 1,), where
    each line begins; parent: int32 (k,), the vertex before, -1 at roots; every vertex comes after its parent.
    """

    node: Indices
    offsets: Indices
    parent: Indices


@kernel
def _weighed(parent):
    """What each node carries, itself included, and the heaviest child of each, -1 at ends."""
    n = parent.shape[0]
    weight, main = np.ones(n, np.int64), np.full(n, -1, np.int32)
    for i in range(n - 1, -1, -1):
        p = parent[i]
        if p >= 0:
            weight[p] += weight[i]
            if main[p] < 0 or weight[i] >= weight[main[p]]:
                main[p] = i
    return main


@kernel
def _cut(parent, main, node, offsets, before):
    n = parent.shape[0]
    vertex = np.full(n, -1, np.int32)
    k, lines = 0, 0
    for i in range(n):
        p = parent[i]
        if (p >= 0 and main[p] == i) or (p < 0 and main[i] < 0):
            continue
        offsets[lines] = k
        lines += 1
        last = -1
        if p >= 0:
            node[k], before[k] = p, vertex[p]
            last = k
            k += 1
        j = i
        while j >= 0:
            node[k], before[k], vertex[j] = j, last, k
            last = k
            k += 1
            j = main[j]
    offsets[lines] = k
    return k, lines


def cut(parent: Indices) -> Cut:
    """Cut a tree into lines.

    Parameters
    ----------
    parent : int32 (n,)
        The node before each, -1 at roots; parents come first.

    Returns
    -------
    Cut
        Lines in the order in which they begin; a root from which nothing grows is in none.
    """
    n = len(parent)
    node, offsets, before = np.empty(2 * n, np.int32), np.empty(n + 1, np.int32), np.empty(2 * n, np.int32)
    k, lines = _cut(parent, _weighed(parent), node, offsets, before)
    return Cut(node[:k].copy(), offsets[: lines + 1].copy(), before[:k].copy())
