"""Cells around seeds: what lies nearer to one seed than to any other, and the triangles of a surface cut along their borders.

Every point on a border is named by what it lies on (a point, an edge and two cells, a triangle and three cells), so that
neighbours agree about it without tolerances. Everything is in float64. Loops take and give plain arrays.
"""

import numpy as np

from estompe.kernels.compile import inner, kernel
from estompe.kernels.keyed import found, key_of, numbered, room_for

_U64 = np.uint64


@kernel
def dual(seeds, tets, beside, real):
    """Voronoi vertices (centres), edges of the Delaunay graph with ids, and the ids of its triangles."""
    m, n = tets.shape[0], seeds.shape[0]
    centres = np.empty((m, 3))
    for t in range(m):
        a, b, c, d = tets[t, 0], tets[t, 1], tets[t, 2], tets[t, 3]
        ux, uy, uz = seeds[b, 0] - seeds[a, 0], seeds[b, 1] - seeds[a, 1], seeds[b, 2] - seeds[a, 2]
        vx, vy, vz = seeds[c, 0] - seeds[a, 0], seeds[c, 1] - seeds[a, 1], seeds[c, 2] - seeds[a, 2]
        wx, wy, wz = seeds[d, 0] - seeds[a, 0], seeds[d, 1] - seeds[a, 1], seeds[d, 2] - seeds[a, 2]
        u2, v2, w2 = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz
        p, q, r = vy * wz - vz * wy, vz * wx - vx * wz, vx * wy - vy * wx
        det = ux * p + uy * q + uz * r
        s = 0.5 / det if det != 0.0 else 0.0
        centres[t, 0] = seeds[a, 0] + s * (u2 * p + v2 * (wy * uz - wz * uy) + w2 * (uy * vz - uz * vy))
        centres[t, 1] = seeds[a, 1] + s * (u2 * q + v2 * (wz * ux - wx * uz) + w2 * (uz * vx - ux * vz))
        centres[t, 2] = seeds[a, 2] + s * (u2 * r + v2 * (wx * uy - wy * ux) + w2 * (ux * vy - uy * vx))
    # triangles of the graph: one id for both sides
    tri = np.full((m, 4), -1, np.int32)
    tsign = np.zeros(
        4 * m, np.int8
    )  # whether its seeds run counter-clockwise seen along the way from the smaller to the larger tetrahedron
    ntri = 0
    for t in range(m):
        for k in range(4):
            o = beside[t, k]
            if o >= 0 and o < t:
                for j in range(4):
                    if beside[o, j] == t:
                        tri[t, k] = tri[o, j]
            else:
                tri[t, k] = ntri
                x, y, z = tets[t, (k + 1) & 3], tets[t, (k + 2) & 3], tets[t, (k + 3) & 3]
                lo, hi = min(x, min(y, z)), max(x, max(y, z))
                mid = x + y + z - lo - hi
                q, turn = tets[t, k], -1.0
                if o >= 0:
                    turn = 1.0
                    for j in range(4):
                        if beside[o, j] == t:
                            q = tets[o, j]
                ax, ay, az = seeds[mid, 0] - seeds[lo, 0], seeds[mid, 1] - seeds[lo, 1], seeds[mid, 2] - seeds[lo, 2]
                bx, by, bz = seeds[hi, 0] - seeds[lo, 0], seeds[hi, 1] - seeds[lo, 1], seeds[hi, 2] - seeds[lo, 2]
                gx, gy, gz = seeds[q, 0] - seeds[lo, 0], seeds[q, 1] - seeds[lo, 1], seeds[q, 2] - seeds[lo, 2]
                det = turn * (gx * (ay * bz - az * by) + gy * (az * bx - ax * bz) + gz * (ax * by - ay * bx))
                tsign[ntri] = 1 if det > 0.0 else -1
                ntri += 1
    # edges
    cap = room_for(8 * m)
    table, numbers = np.zeros(cap, _U64), np.empty(cap, np.int32)
    pairs = np.empty((7 * m, 2), np.int32)
    first = np.empty(7 * m, np.int32)
    ne = 0
    for t in range(m):
        for i in range(4):
            for j in range(i + 1, 4):
                a, b = min(tets[t, i], tets[t, j]), max(tets[t, i], tets[t, j])
                if a >= real:
                    continue
                e = numbered(table, numbers, key_of(5, a, b, 0, 0), ne)
                if e == ne:
                    pairs[ne, 0], pairs[ne, 1], first[ne] = a, b, t
                    ne += 1
    # neighbours per seed with the edge's id
    start = np.zeros(n + 1, np.int32)
    for e in range(ne):
        if pairs[e, 1] < real:
            start[pairs[e, 0] + 1] += 1
            start[pairs[e, 1] + 1] += 1
    for i in range(n):
        start[i + 1] += start[i]
    at = start[:-1].copy()
    other, edge = np.empty(start[n], np.int32), np.empty(start[n], np.int32)
    for e in range(ne):
        a, b = pairs[e, 0], pairs[e, 1]
        if b < real:
            other[at[a]], edge[at[a]] = b, e
            at[a] += 1
            other[at[b]], edge[at[b]] = a, e
            at[b] += 1
    # triples -> triangle ids
    cap = room_for(ntri)
    ttable, tnumbers = np.zeros(cap, _U64), np.empty(cap, np.int32)
    for t in range(m):
        for k in range(4):
            x, y, z = tets[t, (k + 1) & 3], tets[t, (k + 2) & 3], tets[t, (k + 3) & 3]
            lo, hi = min(x, min(y, z)), max(x, max(y, z))
            numbered(ttable, tnumbers, key_of(6, lo, x + y + z - lo - hi, hi, 0), tri[t, k])
    return centres, tri, tsign[:ntri], ntri, pairs[:ne], first[:ne], start, other, edge, ttable, tnumbers


@inner
def _side(seeds, c, o, x, y, z):
    """Positive where o is nearer than c; the same bits with the sign turned for (o, c)."""
    a, b, sign = (c, o, 1.0) if c < o else (o, c, -1.0)
    nx, ny, nz = seeds[b, 0] - seeds[a, 0], seeds[b, 1] - seeds[a, 1], seeds[b, 2] - seeds[a, 2]
    d = 0.5 * (nx * (seeds[b, 0] + seeds[a, 0]) + ny * (seeds[b, 1] + seeds[a, 1]) + nz * (seeds[b, 2] + seeds[a, 2]))
    return sign * (nx * x + ny * y + nz * z - d)


@kernel
def nearest_cells(points, seeds, start, other, guess):
    """The cell of each point, walking from that of the point before."""
    out = np.empty(points.shape[0], np.int32)
    c = guess
    for v in range(points.shape[0]):
        x, y, z = points[v, 0], points[v, 1], points[v, 2]
        moved = True
        while moved:
            moved = False
            for e in range(start[c], start[c + 1]):
                if _side(seeds, c, other[e], x, y, z) > 0.0:
                    c = other[e]
                    moved = True
                    break
        out[v] = c
    return out


@kernel
def clip(points, faces, t0, t1, seeds, cell, start, other, edge, room):
    """Fragments of the triangles t0..t1: cell, source triangle, corners as keys (originals: their number) and places.

    Segments where a fragment lies along a Voronoi face, and crossings of Voronoi edges."""
    ns = seeds.shape[0]
    mark = np.full(ns, -1, np.int32)
    queue = np.empty(4096, np.int32)
    ring, rest = np.empty((64, 3)), np.empty((64, 3))
    tags, rest_tags = np.empty(64, np.int32), np.empty(64, np.int32)  # tag of the side that begins at a corner
    n = t1 - t0
    owner, parent, begins = np.empty(n + room, np.int32), np.empty(n + room, np.int32), np.zeros(n + room + 1, np.int32)
    key, pos = np.empty(3 * n + 6 * room, _U64), np.empty((3 * n + 6 * room, 3))
    side_border, side_ends = np.empty(3 * room, np.int32), np.empty((3 * room, 2), _U64)
    cross_key, cross_cells, cross_sign, cross_place = (
        np.empty(room, _U64),
        np.empty((room, 3), np.int32),
        np.empty(room, np.int8),
        np.empty((room, 3)),
    )
    nf, nv, sides, nc, clipped = 0, 0, 0, 0, 0
    for t in range(t0, t1):
        v0, v1, v2 = faces[t, 0], faces[t, 1], faces[t, 2]
        if cell[v0] == cell[v1] and cell[v1] == cell[v2]:
            owner[nf], parent[nf] = cell[v0], t
            for k in range(3):
                v = faces[t, k]
                key[nv] = _U64(2 * v)  # even: an original point
                pos[nv, 0], pos[nv, 1], pos[nv, 2] = points[v, 0], points[v, 1], points[v, 2]
                nv += 1
            nf += 1
            begins[nf] = nv
            continue
        clipped += 1
        queue[0] = cell[v0]
        mark[cell[v0]] = t
        h, q = 0, 1
        while h < q:
            c = queue[h]
            h += 1
            for k in range(3):
                ring[k, 0], ring[k, 1], ring[k, 2] = (
                    points[faces[t, k], 0],
                    points[faces[t, k], 1],
                    points[faces[t, k], 2],
                )
                tags[k] = -1 - k
            m = 3
            for e in range(start[c], start[c + 1]):
                o = other[e]
                any_out = False
                for k in range(m):
                    if _side(seeds, c, o, ring[k, 0], ring[k, 1], ring[k, 2]) > 0.0:
                        any_out = True
                        break
                if not any_out:
                    continue
                if mark[o] != t:
                    mark[o] = t
                    queue[q] = o
                    q += 1
                r = 0
                pk = m - 1
                ps = _side(seeds, c, o, ring[pk, 0], ring[pk, 1], ring[pk, 2])
                for k in range(m):
                    s = _side(seeds, c, o, ring[k, 0], ring[k, 1], ring[k, 2])
                    if (s > 0.0) != (ps > 0.0):
                        side = tags[pk]
                        if side < 0:
                            # along a side of the mesh: always worked out from its ends, the smaller number first
                            a, b = faces[t, -1 - side], faces[t, (-side) % 3]
                            lo, hi = min(a, b), max(a, b)
                            sl = _side(seeds, c, o, points[lo, 0], points[lo, 1], points[lo, 2])
                            sh = _side(seeds, c, o, points[hi, 0], points[hi, 1], points[hi, 2])
                            w = sl / (sl - sh)
                            for j in range(3):
                                rest[r, j] = points[lo, j] + w * (points[hi, j] - points[lo, j])
                        else:
                            w = ps / (ps - s)
                            for j in range(3):
                                rest[r, j] = ring[pk, j] + w * (ring[k, j] - ring[pk, j])
                        rest_tags[r] = o if s > 0.0 else tags[pk]
                        r += 1
                    if s <= 0.0:
                        rest[r, 0], rest[r, 1], rest[r, 2] = ring[k, 0], ring[k, 1], ring[k, 2]
                        rest_tags[r] = tags[k]
                        r += 1
                    pk, ps = k, s
                m = r
                for k in range(m):
                    ring[k, 0], ring[k, 1], ring[k, 2], tags[k] = rest[k, 0], rest[k, 1], rest[k, 2], rest_tags[k]
                if m == 0:
                    break
            if m < 3:
                continue
            base = nv
            for k in range(m):
                a, b = tags[k - 1] if k > 0 else tags[m - 1], tags[k]
                if a < 0 and b < 0:
                    key[nv] = _U64(2 * faces[t, -1 - b])
                elif a < 0 or b < 0:
                    side, o = min(a, b), max(a, b)
                    x, y = faces[t, -1 - side], faces[t, (-side) % 3]
                    key[nv] = key_of(1, min(x, y), max(x, y), min(c, o), max(c, o))
                else:
                    lo, hi = min(c, min(a, b)), max(c, max(a, b))
                    mid = c + a + b - lo - hi
                    key[nv] = key_of(2, t, lo, mid, hi)
                    if c == lo:
                        cross_key[nc], cross_sign[nc] = key[nv], 1 if a < b else -1
                        cross_cells[nc, 0], cross_cells[nc, 1], cross_cells[nc, 2] = lo, mid, hi
                        cross_place[nc, 0], cross_place[nc, 1], cross_place[nc, 2] = ring[k, 0], ring[k, 1], ring[k, 2]
                        nc += 1
                pos[nv, 0], pos[nv, 1], pos[nv, 2] = ring[k, 0], ring[k, 1], ring[k, 2]
                nv += 1
            for k in range(m):
                o = tags[k]
                if o >= 0 and c < o:
                    for e in range(start[c], start[c + 1]):
                        if other[e] == o:
                            side_border[sides] = edge[e]
                            break
                    side_ends[sides, 0], side_ends[sides, 1] = (
                        key[base + (k + 1) % m],
                        key[base + k],
                    )  # turned: as the cap of c runs
                    sides += 1
            owner[nf], parent[nf] = c, t
            nf += 1
            begins[nf] = nv
            if (
                nf + 64 > owner.shape[0]
                or nc + 64 > cross_key.shape[0]
                or sides + 64 > side_border.shape[0]
                or nv + 512 > key.shape[0]
            ):
                return (
                    owner[:0],
                    parent[:0],
                    begins[:1],
                    key[:0],
                    pos[:0],
                    side_border[:0],
                    side_ends[:0],
                    cross_key[:0],
                    cross_cells[:0],
                    cross_sign[:0],
                    cross_place[:0],
                    -1,
                )
    return (
        owner[:nf],
        parent[:nf],
        begins[: nf + 1],
        key[:nv],
        pos[:nv],
        side_border[:sides],
        side_ends[:sides],
        cross_key[:nc],
        cross_cells[:nc],
        cross_sign[:nc],
        cross_place[:nc],
        clipped,
    )


@kernel
def number_points(before, points, key, pos, side_ends, cross_key):
    """Numbers for all keys: originals keep theirs, cut points follow."""
    cap = room_for(key.shape[0] // 2 + 1024)
    table, numbers = np.zeros(cap, _U64), np.empty(cap, np.int32)
    ids = np.empty(key.shape[0], np.int32)
    places = np.empty((before + key.shape[0], 3))
    for i in range(before):
        places[i, 0], places[i, 1], places[i, 2] = points[i, 0], points[i, 1], points[i, 2]
    count = before
    for i in range(key.shape[0]):
        k = key[i]
        if k & _U64(1):
            g = numbered(table, numbers, k, count)
            if g == count:
                places[count, 0], places[count, 1], places[count, 2] = pos[i, 0], pos[i, 1], pos[i, 2]
                count += 1
            ids[i] = g
        else:
            ids[i] = np.int32(k >> _U64(1))
    segs = np.empty((side_ends.shape[0], 2), np.int32)
    for i in range(side_ends.shape[0]):
        for j in range(2):
            k = side_ends[i, j]
            segs[i, j] = found(table, numbers, k) if k & _U64(1) else np.int32(k >> _U64(1))
    cross = np.empty(cross_key.shape[0], np.int32)
    for i in range(cross_key.shape[0]):
        cross[i] = found(table, numbers, cross_key[i])
    return ids, places[:count], segs, cross


@kernel
def triangles_of(cross_cells, ttable, tnumbers):
    out = np.empty(cross_cells.shape[0], np.int32)
    for i in range(cross_cells.shape[0]):
        out[i] = found(ttable, tnumbers, key_of(6, cross_cells[i, 0], cross_cells[i, 1], cross_cells[i, 2], 0))
    return out
