"""Cut cells put together: faces sorted by piece, with points of their own, and whether every piece is closed."""

import numpy as np

from estompe.kernels.compile import inner, kernel
from estompe.kernels.keyed import key_of, place_of, room_for

_U64 = np.uint64


@kernel
def assembled(cells, owner, parent, begins, ids, pairs, borders, cap_begins, cap_corners, points):
    """Faces sorted by piece with points of their own: corners, offsets, source (a triangle, or -1 - other cell), owner of
    each face, and for each new point the number it stands for and its piece."""
    nfaces = owner.shape[0] + 2 * borders.shape[0]
    starts = np.zeros(cells + 1, np.int32)
    for i in range(owner.shape[0]):
        starts[owner[i] + 1] += 1
    for i in range(borders.shape[0]):
        starts[pairs[borders[i], 0] + 1] += 1
        starts[pairs[borders[i], 1] + 1] += 1
    for c in range(cells):
        starts[c + 1] += starts[c]
    at = starts[:-1].copy()
    order = np.empty(nfaces, np.int32)
    for i in range(owner.shape[0]):
        order[at[owner[i]]] = i
        at[owner[i]] += 1
    for i in range(borders.shape[0]):
        for s in range(2):
            c = pairs[borders[i], s]
            order[at[c]] = owner.shape[0] + 2 * i + s
            at[c] += 1
    ncorners = ids.shape[0] + 2 * cap_corners.shape[0]
    corners, offsets = np.empty(ncorners, np.int32), np.zeros(nfaces + 1, np.int32)
    source = np.empty(nfaces, np.int32)
    stands, piece = np.empty(ncorners, np.int32), np.empty(ncorners, np.int32)
    local, stamp = np.empty(points, np.int32), np.full(points, -1, np.int32)
    nc, np_ = 0, 0
    for c in range(cells):
        for k in range(starts[c], starts[c + 1]):
            f = order[k]
            skin = f < owner.shape[0]
            if skin:
                b, e, source[k] = begins[f], begins[f + 1], parent[f]
            else:
                i = (f - owner.shape[0]) >> 1
                b, e = cap_begins[i], cap_begins[i + 1]
                source[k] = -1 - pairs[borders[i], 1 - ((f - owner.shape[0]) & 1)]
            back = not skin and ((f - owner.shape[0]) & 1) == 1
            for j in range(e - b):
                g = ids[b + j] if skin else cap_corners[e - 1 - j] if back else cap_corners[b + j]
                if stamp[g] != c:
                    stamp[g], local[g] = c, np_
                    stands[np_], piece[np_] = g, c
                    np_ += 1
                corners[nc] = local[g]
                nc += 1
            offsets[k + 1] = nc
    return corners[:nc], offsets, source, starts, stands[:np_], piece[:np_]


@inner
def open_sides(corners, offsets, points):
    """Directed sides without the same side in the other direction: none for closed pieces (points are each piece's own)."""
    n = corners.shape[0]
    cap = room_for(n)
    table, numbers = np.zeros(cap, _U64), np.zeros(cap, np.int32)
    for f in range(offsets.shape[0] - 1):
        for k in range(offsets[f], offsets[f + 1]):
            a, b = corners[k], corners[k + 1 if k + 1 < offsets[f + 1] else offsets[f]]
            sign = 1 if a < b else -1
            key = key_of(9, min(a, b), max(a, b), 0, 0)
            i = place_of(table, key)
            table[i] = key
            numbers[i] += sign
    count = 0
    for i in range(cap):
        if table[i] != _U64(0) and numbers[i] != 0:
            count += abs(numbers[i])
    return count


@kernel
def volumes(places, corners, offsets, starts):
    out = np.zeros(starts.shape[0] - 1)
    for c in range(out.shape[0]):
        if starts[c] == starts[c + 1]:
            continue
        g = corners[offsets[starts[c]]]
        ox, oy, oz = places[g, 0], places[g, 1], places[g, 2]
        for f in range(starts[c], starts[c + 1]):
            a = corners[offsets[f]]
            ax, ay, az = places[a, 0] - ox, places[a, 1] - oy, places[a, 2] - oz
            for k in range(offsets[f] + 1, offsets[f + 1] - 1):
                b, d = corners[k], corners[k + 1]
                bx, by, bz = places[b, 0] - ox, places[b, 1] - oy, places[b, 2] - oz
                cx, cy, cz = places[d, 0] - ox, places[d, 1] - oy, places[d, 2] - oz
                out[c] += ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
        out[c] /= 6.0
    return out


@kernel
def open_per_piece(corners, offsets, starts, points):
    out = np.zeros(starts.shape[0] - 1, np.int32)
    for c in range(out.shape[0]):
        if starts[c + 1] > starts[c]:
            b, e = starts[c], starts[c + 1]
            out[c] = open_sides(corners[offsets[b] : offsets[e]], offsets[b : e + 1] - offsets[b], points)
    return out
