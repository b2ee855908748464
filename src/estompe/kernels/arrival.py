"""When a front that starts somewhere reaches each point of a mesh: fast marching over triangles.

The method is that of Kimmel and Sethian, "Computing geodesic paths on manifolds" (1998), doi:10.1073/pnas.95.15.8431. Waves are
round where they come from one place and the speed is the same everywhere, as in Novotni and Klein, "Computing geodesic distances
on triangular meshes" (2002), and plane elsewhere. Blunt corners are split by unfolding the triangle across the opposite edge.
"""

import math

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, kernel
from estompe.kernels.heap import entered, first_taken
from estompe.kernels.types import Indices, Matrix, read_only

_BLUNT = 0.2
"""Corners whose cosine is under this are split."""


@inlined
def _plane_wave(ta, tb, bc, ac, ab, slow):
    """When a plane wave through A and B reaches C; infinite if it does not come through AB. bc, ac, ab: squared lengths."""
    c = math.sqrt(ab)
    x = (ac + ab - bc) / (2.0 * c)
    y2 = ac - x * x
    if y2 <= 0.0:
        return np.inf
    y = math.sqrt(y2)
    along = (tb - ta) / c
    across2 = slow * slow - along * along
    if across2 <= 0.0:
        return np.inf
    across = math.sqrt(across2)
    foot = x - y * along / across
    if foot < 0.0 or foot > c:
        return np.inf
    return ta + along * x + across * y


@inlined
def _round_wave(ta, tb, bc, ac, ab, slow):
    """The same from where A and B were both reached from, unfolded into their plane."""
    c = math.sqrt(ab)
    da, db = ta / slow, tb / slow
    x = (ac + ab - bc) / (2.0 * c)
    y2 = ac - x * x
    if y2 <= 0.0 or da + db < c or abs(da - db) > c:
        return np.inf
    y = math.sqrt(y2)
    px = (da * da + ab - db * db) / (2.0 * c)
    py2 = da * da - px * px
    if py2 < 0.0:
        return np.inf
    py = -math.sqrt(py2)
    if y - py <= 0.0:
        return np.inf
    foot = px - (x - px) * py / (y - py)
    if foot < 0.0 or foot > c:
        return np.inf
    return slow * math.sqrt((x - px) * (x - px) + (y - py) * (y - py))


@kernel
def _march(triangles, lengths, starts, around, slowness, first, is_round, settled, until):
    count = first.shape[0]
    times = first.copy()
    done = settled.copy()
    heap, place = np.empty(count, np.int32), np.full(count, -1, np.int32)
    size = np.int64(0)
    for p in range(count):
        if times[p] < np.inf and not done[p]:
            size = entered(times, heap, place, size, p)
    while size > 0:
        p = heap[0]
        if times[p] > until:
            break
        size = first_taken(times, heap, place, size)
        done[p] = True
        for m in range(starts[p], starts[p + 1]):
            t = around[m]
            kp = 0
            if triangles[t, 1] == p:
                kp = 1
            elif triangles[t, 2] == p:
                kp = 2
            for turn in range(2):
                kr = (kp + 1 + turn) % 3
                kq = 3 - kp - kr
                r, q = triangles[t, kr], triangles[t, kq]
                if done[r]:
                    continue
                time = times[p] + 0.5 * (slowness[p] + slowness[r]) * math.sqrt(lengths[t, kq])
                if done[q]:
                    slow = (slowness[p] + slowness[q] + slowness[r]) / 3.0
                    wave = np.inf
                    if is_round:
                        wave = _round_wave(times[p], times[q], lengths[t, kp], lengths[t, kq], lengths[t, kr], slow)
                    # From beside a corner a round wave may come to the next triangle before it comes to that corner.
                    least = min(times[p], times[q]) if wave < np.inf else times[p]
                    if not wave < np.inf:
                        wave = _plane_wave(times[p], times[q], lengths[t, kp], lengths[t, kq], lengths[t, kr], slow)
                    if wave < time and wave >= least:
                        time = wave
                if time < times[r]:
                    times[r] = time
                    size = entered(times, heap, place, size, r)
    return times


def arrival(
    triangles: Indices,
    lengths: Matrix,
    starts: Indices,
    around: Indices,
    first: Matrix,
    slowness: Matrix | None = None,
    is_round: bool = False,
    settled: NDArray[np.bool_] | None = None,
    until: float = math.inf,
) -> Matrix:
    """When a front reaches each point. O(n log n).

    Parameters
    ----------
    triangles, lengths : int32 (t, 3), float64 (t, 3)
        What `unfolded` gave.
    starts, around : int32 (n + 1,), int32
        Where the triangles around each point start, and these.
    first : float64 (n,)
        When it starts at each point; infinite where it does not.
    slowness : float64 (n,), optional
        Time per scene unit at each point, infinite where it stops; 1 everywhere if not given.
    is_round : bool
        Whether it starts at one place: waves are then exact on a plane, where from a region they would come too soon.
    settled : bool (n,), optional
        Points that the front has left behind: their times stand, and nothing starts from them.
    until : float
        The time up to which the front is followed; later times are not final.

    Returns
    -------
    float64 (n,)
        Times, or distances in scene units where no slowness is given; infinite where it never comes.

    References
    ----------
    Kimmel and Sethian 1998, doi:10.1073/pnas.95.15.8431. Errors against exact ways: see docs/performance.md.
    """
    slow = np.ones(len(first)) if slowness is None else slowness
    behind = np.zeros(len(first), np.bool_) if settled is None else settled
    arrays = (read_only(array) for array in (triangles, lengths, starts, around, slow, first))
    made: Matrix = _march(*arrays, is_round and slowness is None, read_only(behind), float(until))
    return made


def unfolded(places: Matrix, triangles: Indices) -> tuple[Indices, Matrix]:
    """Triangles with the squared lengths of the edges opposite to their corners, and for each blunt corner two more.

    Those reach over the opposite edge to the corner of the neighbour there, as they lie when both are laid flat, so that waves
    come to a blunt corner from in front of it.

    Parameters
    ----------
    places : float64 (n, 3)
        The points.
    triangles : int32 (t, 3)
        Their triangles.

    Returns
    -------
    triangles : int32 (t + k, 3)
    lengths : float64 (t + k, 3)
    """
    ends = triangles[:, [1, 2, 0]], triangles[:, [2, 0, 1]]
    lengths = _squared(places, *ends)
    mate, facing = _across(triangles, len(places))
    next_, last = lengths[:, [1, 2, 0]], lengths[:, [2, 0, 1]]
    cosines = (next_ + last - lengths) / np.maximum(2 * np.sqrt(next_ * last), 1e-300)
    t, k = np.nonzero((cosines < _BLUNT) & (mate >= 0))
    c, a, b = triangles[t, k], ends[0][t, k], ends[1][t, k]
    d = facing[t, k]
    ab2, ac2, bc2 = lengths[t, k], lengths[t, (k + 2) % 3], lengths[t, (k + 1) % 3]
    ad2, bd2 = _squared(places, a, d), _squared(places, b, d)
    ab = np.maximum(np.sqrt(ab2), 1e-300)
    cx, dx = (ac2 + ab2 - bc2) / (2 * ab), (ad2 + ab2 - bd2) / (2 * ab)
    cy, dy = np.sqrt(np.maximum(ac2 - cx * cx, 0)), np.sqrt(np.maximum(ad2 - dx * dx, 0))
    crosses = cx + (dx - cx) * cy / np.maximum(cy + dy, 1e-300)
    fits = (crosses > 0) & (crosses < ab)
    a, b, c, d = a[fits], b[fits], c[fits], d[fits]
    cd2 = ((cx - dx) ** 2 + (cy + dy) ** 2)[fits]
    more = np.concatenate([np.stack([c, a, d], 1), np.stack([c, d, b], 1)])
    more_lengths = np.concatenate([np.stack([ad2[fits], cd2, ac2[fits]], 1), np.stack([bd2[fits], bc2[fits], cd2], 1)])
    return np.concatenate([triangles, more]).astype(np.int32), np.concatenate([lengths, more_lengths])


def _squared(places: Matrix, a: Indices, b: Indices) -> Matrix:
    made: Matrix = ((places[a] - places[b]) ** 2).sum(axis=-1)
    return made


def _across(triangles: Indices, count: int) -> tuple[Indices, Indices]:
    """For each corner the triangle across the opposite edge, -1 for none, and the point there, int32 (t, 3) each."""
    a, b = triangles[:, [1, 2, 0]].ravel().astype(np.int64), triangles[:, [2, 0, 1]].ravel().astype(np.int64)
    code = np.minimum(a, b) * count + np.maximum(a, b)
    order = np.argsort(code, kind="stable")
    same = np.flatnonzero(code[order][1:] == code[order][:-1])
    one, other = order[same], order[same + 1]
    mate = np.full(triangles.size, -1, np.int32)
    facing = np.zeros(triangles.size, np.int32)
    mate[one], mate[other] = other // 3, one // 3
    facing[one], facing[other] = triangles.ravel()[other], triangles.ravel()[one]
    return mate.reshape(-1, 3), facing.reshape(-1, 3)
