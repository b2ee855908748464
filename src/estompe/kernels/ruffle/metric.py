"""The metric of a sheet, which is a rest length for each edge: it grows, long edges are halved, and wide angles are flipped."""

import math
from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inner, kernel
from estompe.kernels.types import Indices, Matrix, read_only

# Columns of an edge: its lower and higher point, a triangle beside it and the corner across, and those of the other side.
LOW, HIGH, FIRST, FIRST_CORNER, SECOND, SECOND_CORNER = 0, 1, 2, 3, 4, 5


@kernel
def _edges_of(triangles, count):
    faces = triangles.shape[0]
    starts = np.zeros(count + 1, np.int32)
    for f in range(faces):
        for k in range(3):
            a, b = triangles[f, (k + 1) % 3], triangles[f, (k + 2) % 3]
            starts[min(a, b) + 1] += 1
    for i in range(count):
        starts[i + 1] += starts[i]
    at, slot = starts[:-1].copy(), np.empty((3 * faces, 3), np.int32)
    for f in range(faces):
        for k in range(3):
            a, b = triangles[f, (k + 1) % 3], triangles[f, (k + 2) % 3]
            m = at[min(a, b)]
            slot[m, 0], slot[m, 1], slot[m, 2] = max(a, b), f, k
            at[min(a, b)] += 1
    edges, e = np.empty((3 * faces, 6), np.int32), 0
    for i in range(count):
        for m in range(starts[i], starts[i + 1]):
            if slot[m, 0] < 0:
                continue
            edges[e, LOW], edges[e, HIGH], edges[e, FIRST], edges[e, FIRST_CORNER] = (
                i,
                slot[m, 0],
                slot[m, 1],
                slot[m, 2],
            )
            edges[e, SECOND], edges[e, SECOND_CORNER] = -1, -1
            for o in range(m + 1, starts[i + 1]):
                if slot[o, 0] == slot[m, 0]:
                    edges[e, SECOND], edges[e, SECOND_CORNER] = slot[o, 1], slot[o, 2]
                    slot[o, 0] = -1
                    break
            e += 1
    return edges[:e].copy()


def edges_of(triangles: Indices, count: int) -> Indices:
    """List each edge once.

    Parameters
    ----------
    triangles : int32 (t, 3)
        Point numbers.
    count : int
        How many points there are.

    Returns
    -------
    int32 (e, 6)
        The two points, lower first; a triangle and its corner across the edge; the same of the other side, -1 at a border.
    """
    edges: Indices = _edges_of(read_only(triangles), count)
    return edges


@kernel
def lengthened(triangles, rests, more):
    """Let rest lengths grow, in place: each by the factor exp of the mean of `more` at its ends. more: float64 (n,)."""
    for f in range(triangles.shape[0]):
        for k in range(3):
            both = more[triangles[f, (k + 1) % 3]] + more[triangles[f, (k + 2) % 3]]
            rests[f, k] *= math.exp(0.5 * both)


@kernel
def halved_edges(edges, order, length, limit, faces):
    """Choose edges longer than a limit, in an order, one for each triangle: their numbers, int32 (c,)."""
    busy = np.zeros(faces, np.bool_)
    chosen, c = np.empty(order.shape[0], np.int32), 0
    for e in order:
        if length[e] <= limit:
            break
        f, g = edges[e, FIRST], edges[e, SECOND]
        if busy[f] or (g >= 0 and busy[g]):
            continue
        busy[f] = True
        if g >= 0:
            busy[g] = True
        chosen[c] = e
        c += 1
    return chosen[:c].copy()


class Split(NamedTuple):
    """Faces after some edges were halved, as `Faces` in `estompe.geometry.ruffle.sheet` has them."""

    triangles: Indices
    rests: Matrix
    fixed: np.ndarray
    owner: Indices


@kernel
def split(triangles, rests, fixed, owner, edges, chosen, count):
    """Halve edges: the new points are numbered from `count` on, in the order in which edges were chosen.

    Returns
    -------
    triangles : int32 (t, 3)
    rests : float64 (t, 3)
        Of the edge across each corner; a new edge across a triangle is its median, so that the area stays.
    fixed : bool (t, 3)
        Edges that may not be flipped.
    owner : int32 (t,)
        The face of the first sheet that a triangle lies on.
    """
    t, c = triangles.shape[0], chosen.shape[0]
    faces, lengths = np.empty((t + 2 * c, 3), np.int32), np.empty((t + 2 * c, 3))
    kept, of = np.empty((t + 2 * c, 3), np.bool_), np.empty(t + 2 * c, np.int32)
    faces[:t], lengths[:t], kept[:t], of[:t] = triangles, rests, fixed, owner
    total = t
    for o in range(c):
        middle = count + o
        for side in range(2):
            f, k = edges[chosen[o], FIRST + 2 * side], edges[chosen[o], FIRST_CORNER + 2 * side]
            if f < 0:
                continue
            p, q, r = faces[f, k], faces[f, (k + 1) % 3], faces[f, (k + 2) % 3]
            lp, lq, lr = lengths[f, k], lengths[f, (k + 1) % 3], lengths[f, (k + 2) % 3]
            kp, kq, kr = kept[f, k], kept[f, (k + 1) % 3], kept[f, (k + 2) % 3]
            median = math.sqrt(max(0.25 * (2.0 * lq * lq + 2.0 * lr * lr - lp * lp), 1e-16))
            faces[f, 0], faces[f, 1], faces[f, 2] = p, q, middle
            lengths[f, 0], lengths[f, 1], lengths[f, 2] = 0.5 * lp, median, lr
            kept[f, 0], kept[f, 1], kept[f, 2] = kp, False, kr
            faces[total, 0], faces[total, 1], faces[total, 2] = p, middle, r
            lengths[total, 0], lengths[total, 1], lengths[total, 2] = 0.5 * lp, lq, median
            kept[total, 0], kept[total, 1], kept[total, 2] = kp, kq, False
            of[total] = of[f]
            total += 1
    return faces[:total].copy(), lengths[:total].copy(), kept[:total].copy(), of[:total].copy()


@inner
def _angle(opposite, one, other):
    """The angle between two sides of a triangle of these lengths."""
    cosine = (one * one + other * other - opposite * opposite) / (2.0 * one * other)
    return math.acos(min(max(cosine, -1.0), 1.0))


@inner
def _is_shallow(places, p, q, r, s, least):
    """Whether the faces p q r and s r q lie flat enough, by the cosine between their normals."""
    dot, one, other = 0.0, 0.0, 0.0
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        a = (places[q, u] - places[p, u]) * (places[r, v] - places[p, v]) - (places[q, v] - places[p, v]) * (
            places[r, u] - places[p, u]
        )
        b = (places[r, u] - places[s, u]) * (places[q, v] - places[s, v]) - (places[r, v] - places[s, v]) * (
            places[q, u] - places[s, u]
        )
        dot, one, other = dot + a * b, one + a * a, other + b * b
    return dot >= least * math.sqrt(one * other)


@inner
def _other_diagonal(length, fq, fr, gq, gr):
    """The other diagonal of two triangles laid flat along an edge, and where on the edge it crosses, as a share of it."""
    px = (fr * fr + length * length - fq * fq) / (2.0 * length)
    py = math.sqrt(max(fr * fr - px * px, 0.0))
    sx = (gr * gr + length * length - gq * gq) / (2.0 * length)
    sy = -math.sqrt(max(gr * gr - sx * sx, 0.0))
    across = px + (sx - px) * py / max(py - sy, 1e-12)
    return math.sqrt((px - sx) ** 2 + (py - sy) ** 2), across / length


@kernel
def flipped(places, triangles, rests, fixed, edges, least):
    """Flip edges whose opposite angles sum to over half a turn in the metric, in place; their number.

    Parameters
    ----------
    places : float64 (n, 3)
        Scene units.
    triangles, rests, fixed
        As `split` has them; written.
    edges : int32 (e, 6)
        As `edges_of` gives them.
    least : float
        The cosine between the normals of both faces from which a fold is shallow enough.
    """
    busy, count = np.zeros(triangles.shape[0], np.bool_), 0
    for e in range(edges.shape[0]):
        f, k, g, j = edges[e, FIRST], edges[e, FIRST_CORNER], edges[e, SECOND], edges[e, SECOND_CORNER]
        if g < 0 or busy[f] or busy[g] or fixed[f, k]:
            continue
        p, q, r, s = triangles[f, k], triangles[f, (k + 1) % 3], triangles[f, (k + 2) % 3], triangles[g, j]
        if triangles[g, (j + 1) % 3] != r or p == s:
            continue
        length = rests[f, k]
        fq, fr = rests[f, (k + 1) % 3], rests[f, (k + 2) % 3]  # p r and p q
        gr, gq = rests[g, (j + 1) % 3], rests[g, (j + 2) % 3]  # s q and s r
        if _angle(length, fq, fr) + _angle(length, gr, gq) < math.pi + 0.05:
            continue
        diagonal, across = _other_diagonal(length, fq, fr, gq, gr)
        if across <= 0.05 or across >= 0.95 or not _is_shallow(places, p, q, r, s, least):
            continue
        busy[f], busy[g] = True, True
        kq, kr = fixed[f, (k + 1) % 3], fixed[f, (k + 2) % 3]
        jr, jq = fixed[g, (j + 1) % 3], fixed[g, (j + 2) % 3]
        triangles[f, 0], triangles[f, 1], triangles[f, 2] = p, q, s
        rests[f, 0], rests[f, 1], rests[f, 2] = gr, diagonal, fr
        fixed[f, 0], fixed[f, 1], fixed[f, 2] = jr, False, kr
        triangles[g, 0], triangles[g, 1], triangles[g, 2] = s, r, p
        rests[g, 0], rests[g, 1], rests[g, 2] = fq, diagonal, gq
        fixed[g, 0], fixed[g, 1], fixed[g, 2] = kq, False, jq
        count += 1
    return count


@kernel
def constraints(triangles, rests, edges):
    """What small steps keep.

    Returns
    -------
    ends : int32 (e, 2)
        The points of each edge.
    rest : float64 (e,)
        Its rest length.
    folds : int32 (c, 2)
        The corners across each inner edge.
    flat : float64 (c,)
        How far apart these are where both faces are laid flat.
    """
    n = edges.shape[0]
    ends, rest = np.empty((n, 2), np.int32), np.empty(n)
    folds, flat, c = np.empty((n, 2), np.int32), np.empty(n), 0
    for e in range(n):
        f, k, g, j = edges[e, FIRST], edges[e, FIRST_CORNER], edges[e, SECOND], edges[e, SECOND_CORNER]
        ends[e, 0], ends[e, 1], rest[e] = edges[e, LOW], edges[e, HIGH], rests[f, k]
        if g < 0:
            continue
        r = triangles[f, (k + 2) % 3]
        gr, gq = rests[g, (j + 1) % 3], rests[g, (j + 2) % 3]
        if triangles[g, (j + 1) % 3] != r:
            gr, gq = gq, gr
        folds[c, 0], folds[c, 1] = triangles[f, k], triangles[g, j]
        flat[c] = _other_diagonal(rests[f, k], rests[f, (k + 1) % 3], rests[f, (k + 2) % 3], gq, gr)[0]
        c += 1
    return ends, rest, folds[:c].copy(), flat[:c].copy()
