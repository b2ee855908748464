"""Edges of closed meshes of quads, in one pass: in such a mesh each side is met once each way, and nothing needs to be sorted."""

import numpy as np

from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Indices, read_only

_BLOCK = 4096


@inlined
def _following(corners, c):
    """The point after a corner in its quad."""
    return corners[(c & ~3) | ((c + 1) & 3)]


@parallel_kernel
def _counted(corners, counts):
    n = corners.shape[0]
    for block in prange(counts.shape[0]):
        total = 0
        for c in range(block * _BLOCK, min(n, (block + 1) * _BLOCK)):
            total += int(corners[c] < _following(corners, c))
        counts[block] = total


@parallel_kernel
def _written(corners, first, pairs, number):
    n = corners.shape[0]
    for block in prange(first.shape[0] - 1):
        e = first[block]
        for c in range(block * _BLOCK, min(n, (block + 1) * _BLOCK)):
            a, b = corners[c], _following(corners, c)
            number[c] = np.int32(-1)
            if a < b:
                pairs[e, 0], pairs[e, 1] = a, b
                number[c] = np.int32(e)
                e += 1


def edges_of_quads(corners: Indices) -> tuple[Indices, Indices]:
    """The edges of a closed mesh whose faces are all quads and agree about what is out. O(corners).

    corners: int32 (m,), four for each quad. Returns the edges as pairs of points, int32 (m / 2, 2), in the order of the
    corner they follow, and that edge's number at its corner, int32 (m,), -1 at the other of the two.
    """
    blocks = (len(corners) + _BLOCK - 1) // _BLOCK
    counts = np.zeros(blocks, np.int64)
    _counted(read_only(corners), counts)
    first = np.concatenate([[0], np.cumsum(counts)])
    pairs, number = np.empty((int(first[-1]), 2), np.int32), np.empty(len(corners), np.int32)
    _written(read_only(corners), first, pairs, number)
    return pairs, number


@kernel
def _joined(corners, points):
    starts = np.zeros(points + 1, np.int32)
    for c in range(corners.shape[0]):
        starts[corners[c] + 1] += 1
    for p in range(points):
        starts[p + 1] += starts[p]
    cursor = starts[:-1].copy()
    members = np.empty(corners.shape[0], np.int32)
    for c in range(corners.shape[0]):
        p = corners[c]
        members[cursor[p]] = _following(corners, c)
        cursor[p] += 1
    return starts, members


def neighbours_of_quads(corners: Indices, points: int) -> tuple[Indices, Indices]:
    """The points that edges join to each point of such a mesh: starts, int32 (points + 1,), and members, int32 (m,)."""
    starts, members = _joined(read_only(corners), points)
    return starts, members


@parallel_kernel
def _numbered(corners, number, starts, around, edges, out):
    for f in prange(out.shape[0] // 2):
        sides = np.empty(4, np.int32)
        for k in range(4):
            c = 4 * f + k
            sides[k] = number[c]
            if sides[k] < 0:
                a, b = corners[c], _following(corners, c)
                for m in range(starts[b], starts[b + 1]):
                    if _following(corners, around[m]) == a:
                        sides[k] = number[around[m]]
        diagonal = np.int32(edges + f)
        out[2 * f, 0], out[2 * f, 1], out[2 * f, 2] = sides[0], sides[1], diagonal
        out[2 * f + 1, 0], out[2 * f + 1, 1], out[2 * f + 1, 2] = diagonal, sides[2], sides[3]


def triangle_edges_of_quads(corners: Indices, number: Indices, around: tuple[Indices, Indices]) -> Indices:
    """The number of the edge that follows each corner of the two triangles of each quad, int32 (2 quads, 3).

    number: as `edges_of_quads` gives it; around: the corners at each point, as starts and members. Diagonals come last.
    """
    out = np.empty((len(corners) // 2, 3), np.int32)
    edges = np.int32(len(corners) // 2)
    _numbered(read_only(corners), read_only(number), *map(read_only, around), edges, out)
    return out
