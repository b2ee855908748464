"""The inner faces of cut cells: which parts of the borders between cells lie inside, as polygons that both cells share."""

import math

import numpy as np

from estompe.kernels.compile import inner, kernel

_U64 = np.uint64
FAR = 26
"""Seeds far outside, so that every cell is bounded; they stand last."""


@kernel
def winding_of(tets, beside, tri, tsign, real, cross_starts, cross_members, cross_sign):
    """How many times each Voronoi vertex lies inside, by the signs of crossings; and how often two ways disagree."""
    m = tets.shape[0]
    state, known = np.zeros(m, np.int8), np.zeros(m, np.bool_)
    queue = np.empty(m, np.int32)
    q = 0
    for t in range(m):
        for k in range(4):
            if tets[t, k] >= real and not known[t]:
                known[t] = True
                queue[q] = t
                q += 1
    h, bad = 0, 0
    while h < q:
        t = queue[h]
        h += 1
        for k in range(4):
            o = beside[t, k]
            if o < 0:
                continue
            f = tri[t, k]
            step = 0
            for i in range(cross_starts[f], cross_starts[f + 1]):
                step -= cross_sign[cross_members[i]] * tsign[f]
            s = state[t] + (step if t < o else -step)
            if not known[o]:
                state[o] = s
                known[o] = True
                queue[q] = o
                q += 1
            elif state[o] != s:
                bad += 1
    for t in range(m):
        if state[t] < 0 or state[t] > 4:
            bad += 1
            state[t] = 0 if state[t] < 0 else 4
    return state, bad


@inner
def _area2(xs, ys, a, b, c):
    return (xs[b] - xs[a]) * (ys[c] - ys[a]) - (ys[b] - ys[a]) * (xs[c] - xs[a])


@inner
def _ears(xs, ys, ring, m, out):
    """Triangles of a simple ring (bridged holes allowed), as places in xs, ys; m - 2 of them whatever happens."""
    following, before = np.empty(m, np.int32), np.empty(m, np.int32)
    for k in range(m):
        following[k], before[k] = (k + 1) % m, (k + m - 1) % m
    left, count, k, tried = m, 0, 0, 0
    forced = 0
    while left > 3:
        a, b, c = ring[before[k]], ring[k], ring[following[k]]
        ok = _area2(xs, ys, a, b, c) > 0.0 or tried > 2 * left
        if ok and tried <= 2 * left:
            j = following[following[k]]
            while j != before[k]:
                p = ring[j]
                # only corners that turn inwards can lie in an ear
                if (
                    (xs[p] != xs[a] or ys[p] != ys[a])
                    and (xs[p] != xs[b] or ys[p] != ys[b])
                    and (xs[p] != xs[c] or ys[p] != ys[c])
                ):
                    if (
                        _area2(xs, ys, a, b, p) >= 0.0
                        and _area2(xs, ys, b, c, p) >= 0.0
                        and _area2(xs, ys, c, a, p) >= 0.0
                    ):
                        ok = False
                        break
                j = following[j]
        if ok:
            if tried > 2 * left:
                forced += 1
            out[count, 0], out[count, 1], out[count, 2] = a, b, c
            count += 1
            following[before[k]], before[following[k]] = following[k], before[k]
            left -= 1
            k = following[following[k]]  # not the neighbour: fans make slivers
            tried = 0
        else:
            k = following[k]
            tried += 1
    a, b, c = ring[before[k]], ring[k], ring[following[k]]
    out[count, 0], out[count, 1], out[count, 2] = a, b, c
    return count + 1, forced


@inner
def _contains(xs, ys, b, e, x, y):
    odd = False
    j = e - 1
    for i in range(b, e):
        if (ys[i] > y) != (ys[j] > y) and x < (xs[j] - xs[i]) * (y - ys[i]) / (ys[j] - ys[i]) + xs[i]:
            odd = not odd
        j = i
    return odd


@inner
def _bridged(xs, ys, ring, m, b, e):
    """The ring with a hole joined to it from the hole's rightmost corner (Eberly's way)."""
    r = b
    for i in range(b, e):
        if xs[i] > xs[r]:
            r = i
    hx, hy = xs[r], ys[r]
    # The nearest side to the right of it.
    best, at = 1e300, -1
    for k in range(m):
        i, j = ring[k], ring[(k + 1) % m]
        if (ys[i] <= hy and ys[j] >= hy) or (ys[i] >= hy and ys[j] <= hy):
            if ys[i] == ys[j]:
                x, pick = max(xs[i], xs[j]), (k if xs[i] > xs[j] else (k + 1) % m)
                x = min(xs[i], xs[j]) if min(xs[i], xs[j]) >= hx else x
            else:
                x = xs[i] + (hy - ys[i]) * (xs[j] - xs[i]) / (ys[j] - ys[i])
                pick = k if xs[i] > xs[j] else (k + 1) % m
            if x >= hx and x < best:
                best, at = x, pick
    if at < 0:
        at = 0
    # A corner that turns inwards and lies in the triangle hides it: of those take the one nearest in angle.
    p = ring[at]
    tx, ty, low = xs[p], ys[p], 1e300
    for k in range(m):
        i = ring[k]
        if xs[i] >= hx and (xs[i] != tx or ys[i] != ty):
            d1 = (best - hx) * (ys[i] - hy)
            s = 1.0 if ty > hy else -1.0
            in1 = s * d1 >= 0.0
            in2 = s * ((tx - best) * (ys[i] - hy) - (ty - hy) * (xs[i] - best)) >= 0.0
            in3 = s * ((hx - tx) * (ys[i] - ty) - (hy - ty) * (xs[i] - tx)) >= 0.0
            if in1 and in2 and in3:
                slope = abs(ys[i] - hy) / max(xs[i] - hx, 1e-300)
                if slope < low:
                    low, at = slope, k
    n = e - b
    for k in range(m - 1, at - 1, -1):
        ring[k + n + 2] = ring[k]
    ring[at + n + 1] = r
    for k in range(n):
        i = r + k
        ring[at + 1 + k] = i if i < e else i - n
    return m + n + 2


@inner
def _ring_around(e, tets, beside, tri, state, pairs, first, ring, crossed):
    """The dual vertices around a border, and the dual triangle each step crosses; how many, and the most and least inside."""
    c, o = pairs[e, 0], pairs[e, 1]
    t = first[e]
    p, q = -1, -1
    for k in range(4):
        if tets[t, k] != c and tets[t, k] != o:
            if p < 0:
                p = k
            else:
                q = k
    leave, keep, begin = tets[t, p], tets[t, q], t
    m, most, least = 0, 0, 9
    while True:
        ring[m] = t
        step = -1
        for k in range(4):
            if tets[t, k] == leave:
                step = k
        crossed[m] = tri[t, step]
        most, least = max(most, state[t]), min(least, state[t])
        m += 1
        u = beside[t, step]
        if u == begin or u < 0 or m >= ring.shape[0] - 2:
            return m, most, least
        following = -1
        for k in range(4):
            w = tets[u, k]
            if w != c and w != o and w != keep:
                following = w
        leave, keep = keep, following
        t = u


@inner
def _is_turned(centres, ring, m, normal):
    """Whether a ring runs clockwise, seen against a normal."""
    x, y, z = 0.0, 0.0, 0.0
    g = ring[0]
    for k in range(1, m - 1):
        ux, uy, uz = (
            centres[ring[k], 0] - centres[g, 0],
            centres[ring[k], 1] - centres[g, 1],
            centres[ring[k], 2] - centres[g, 2],
        )
        vx, vy, vz = (
            centres[ring[k + 1], 0] - centres[g, 0],
            centres[ring[k + 1], 1] - centres[g, 1],
            centres[ring[k + 1], 2] - centres[g, 2],
        )
        x += uy * vz - uz * vy
        y += uz * vx - ux * vz
        z += ux * vy - uy * vx
    return x * normal[0] + y * normal[1] + z * normal[2] < 0.0


@kernel
def _in_order(x, y, centres, places, members, begin, end, crossings, order, along):
    """The crossings between two dual vertices, sorted along the way. Returns how many."""
    dx, dy, dz = centres[y, 0] - centres[x, 0], centres[y, 1] - centres[x, 1], centres[y, 2] - centres[x, 2]
    for i in range(end - begin):
        g = crossings[members[begin + i]]
        at = (
            (places[g, 0] - centres[x, 0]) * dx
            + (places[g, 1] - centres[x, 1]) * dy
            + (places[g, 2] - centres[x, 2]) * dz
        )
        j = i
        while j > 0 and along[j - 1] > at:
            along[j], order[j] = along[j - 1], order[j - 1]
            j -= 1
        along[j], order[j] = at, g
    return end - begin


@inner
def _inside_stretch(x, y, count, order, against, want, state, corners, vertices, a, b, n, stack, waiting):
    """The stretches of one edge of a border that lie inside, as directed sides. Returns how many sides, and mismatches."""
    top, low, bad = 0, 0, 0
    for level in range(state[x]):
        stack[top] = corners + level * vertices + x
        top += 1
    for i in range(count):
        g = order[i]
        way = -want[g] if against else want[g]
        if way > 0:
            if low > 0:
                low -= 1
                a[n], b[n] = g, waiting[low]
                n += 1
            else:
                stack[top] = g
                top += 1
        elif way < 0:
            if top > 0:
                top -= 1
                a[n], b[n] = stack[top], g
                n += 1
            else:
                waiting[low] = g
                low += 1
        else:
            bad += 1
    for level in range(state[y] - 1, -1, -1):
        if top > 0:
            top -= 1
            a[n], b[n] = stack[top], corners + level * vertices + y
            n += 1
        else:
            bad += 1
    return n, bad + (1 if top > 0 or low > 0 else 0)


@inner
def _loops_of(a, b, n, following, flat, starts):
    """Directed sides as closed loops of three corners or more. Returns how many loops, and mismatches."""
    bad = 0
    for i in range(n):
        if a[i] != b[i]:
            if following[a[i]] >= 0:
                bad += 1
            following[a[i]] = b[i]
    loops, total = 0, 0
    starts[0] = 0
    for i in range(n):
        g = a[i]
        if following[g] < 0:
            continue
        begin = total
        while following[g] >= 0 and total < flat.shape[0] - 2:
            flat[total] = g
            total += 1
            h = following[g]
            following[g] = -1
            g = h
        if g != flat[begin]:
            bad += 1
            total = begin
        elif total - begin < 3:
            total = begin
        elif loops < starts.shape[0] - 2:
            loops += 1
            starts[loops] = total
    return loops, bad


@inner
def _flattened(flat, total, places, centres, origin, normal, x, y):
    """Corners in the plane of a border, seen against its normal."""
    corners, vertices = places.shape[0], centres.shape[0]
    over = 1.0 / math.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2)
    nx, ny, nz = normal[0] * over, normal[1] * over, normal[2] * over
    if abs(nx) < 0.9:
        ux, uy, uz = 0.0, nz, -ny
    else:
        ux, uy, uz = -nz, 0.0, nx
    over = 1.0 / math.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux * over, uy * over, uz * over
    vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
    for i in range(total):
        g = flat[i]
        if g < corners:
            px, py, pz = places[g, 0], places[g, 1], places[g, 2]
        else:
            v = (g - corners) % vertices
            px, py, pz = centres[v, 0], centres[v, 1], centres[v, 2]
        px, py, pz = px - origin[0], py - origin[1], pz - origin[2]
        x[i], y[i] = px * ux + py * uy + pz * uz, px * vx + py * vy + pz * vz


@inner
def _is_convex(x, y, ring, m):
    for i in range(m):  # noqa: SIM110 - a loop that is compiled
        if _area2(x, y, ring[i], ring[(i + 1) % m], ring[(i + 2) % m]) < 0.0:
            return False
    return True


@inner
def _with_holes(x, y, starts, loops, own, outer, area, done, ring, m):
    """A loop with the holes inside it joined to it, the one that reaches farthest right first. Returns its corners."""
    while True:
        best, right = -1, -1e300
        for other in range(loops):
            if area[other] < 0.0 and not done[other]:
                i = starts[other]
                if outer == 1 or _contains(x, y, starts[own], starts[own + 1], x[i], y[i]):
                    for j in range(starts[other], starts[other + 1]):
                        if x[j] > right:
                            right, best = x[j], other
        if best < 0:
            return m
        m = _bridged(x, y, ring, m, starts[best], starts[best + 1])
        done[best] = True


@inner
def _faces_of_loops(e, loops, starts, flat, x, y, area, done, ring, ears, edges, offsets, corners, nf, nc):
    """The faces that loops enclose, holes taken out. Returns how many faces and corners there are."""
    outer = 0
    for k in range(loops):
        total = 0.0
        j = starts[k + 1] - 1
        for i in range(starts[k], starts[k + 1]):
            total += x[j] * y[i] - x[i] * y[j]
            j = i
        area[k] = total
        done[k] = False
        if total > 0.0:
            outer += 1
    for turn in range(2 * loops):
        own = turn % loops
        # Holes go with the loop they lie in; what lies in none (slivers) stands for itself, so that nothing is left open.
        if done[own] or (turn < loops and area[own] <= 0.0):
            continue
        done[own] = True
        m = np.int64(0)
        for i in range(starts[own], starts[own + 1]):
            ring[m] = i
            m += 1
        if turn < loops and loops > outer:
            m = _with_holes(x, y, starts, loops, own, outer, area, done, ring, m)
        if loops == 1 and _is_convex(x, y, ring, m):
            edges[nf] = e
            for i in range(m):
                corners[nc] = flat[ring[i]]
                nc += 1
            nf += 1
            offsets[nf] = nc
            continue
        made, _ = _ears(x, y, ring, m, ears)
        for i in range(made):
            edges[nf] = e
            for k in range(3):
                corners[nc] = flat[ears[i, k]]
                nc += 1
            nf += 1
            offsets[nf] = nc
    return nf, nc


@kernel
def caps(
    e0, e1, seeds, tets, beside, tri, centres, state, pairs, first, border_starts, border_members, sides, cross_starts,
    cross_members, crossings, places, room,
):  # fmt: skip
    """Faces along the borders e0..e1, for the cell of the smaller number; the other's are these turned round.

    Returns the border of each face, where its corners begin, and corners, numbers of points and then of dual vertices; and how
    many things did not fit together, -1 where there was too little room.
    """
    corners_before, vertices = places.shape[0], tets.shape[0]
    following = np.full(corners_before + 4 * vertices, -1, np.int32)
    want = np.zeros(corners_before, np.int8)
    stack, waiting = np.empty(4096, np.int32), np.empty(4096, np.int32)
    edges, offsets, corners = np.empty(room, np.int32), np.zeros(room + 1, np.int32), np.empty(4 * room, np.int32)
    ring, crossed = np.empty(512, np.int32), np.empty(512, np.int32)
    a, b = np.empty(8192, np.int32), np.empty(8192, np.int32)
    order, along = np.empty(4096, np.int32), np.empty(4096)
    flat, x, y = np.empty(8192, np.int32), np.empty(8192), np.empty(8192)
    starts = np.empty(1024, np.int32)
    joined, ears = np.empty(16384, np.int32), np.empty((16384, 3), np.int32)
    area, done = np.empty(1024), np.zeros(1024, np.bool_)
    normal = np.empty(3)
    nf, nc, bad = np.int64(0), np.int64(0), 0
    for e in range(e0, e1):
        c, o = pairs[e, 0], pairs[e, 1]
        if o >= seeds.shape[0] - FAR:
            continue
        m, most, least = _ring_around(e, tets, beside, tri, state, pairs, first, ring, crossed)
        s0, s1 = border_starts[e], border_starts[e + 1]
        count = 0
        for k in range(m):
            count += cross_starts[crossed[k] + 1] - cross_starts[crossed[k]]
        if s0 == s1 and most == 0 and count == 0:
            continue
        for k in range(3):
            normal[k] = seeds[o, k] - seeds[c, k]
        # Seen from o the ring of c's cap runs counter-clockwise.
        turned = _is_turned(centres, ring, m, normal)
        if most == least and s0 == s1 and count == 0:
            for level in range(most):
                edges[nf] = e
                for k in range(m):
                    corners[nc] = corners_before + level * vertices + (ring[m - 1 - k] if turned else ring[k])
                    nc += 1
                nf += 1
                offsets[nf] = nc
        else:
            n = np.int64(0)
            for i in range(s0, s1):
                a[n], b[n] = sides[border_members[i], 0], sides[border_members[i], 1]
                want[b[n]] += 1  # something must begin where one ends
                want[a[n]] -= 1
                n += 1
            for k in range(m):
                p, q, f = ring[k], ring[(k + 1) % m], crossed[k]
                against = turned
                if p > q:
                    # Always in one direction, so that all three caps at it agree even where crossings coincide.
                    p, q = q, p
                    against = not against
                since = n
                found = _in_order(
                    p, q, centres, places, cross_members, cross_starts[f], cross_starts[f + 1], crossings, order, along
                )
                n, wrong = _inside_stretch(
                    p, q, found, order, against, want, state, corners_before, vertices, a, b, n, stack, waiting
                )
                bad += wrong
                if against:
                    for i in range(since, n):
                        a[i], b[i] = b[i], a[i]
            for i in range(s0, s1):
                want[sides[border_members[i], 0]] = 0
                want[sides[border_members[i], 1]] = 0
            loops, wrong = _loops_of(a, b, n, following, flat, starts)
            bad += wrong
            if loops:
                _flattened(flat, starts[loops], places, centres, seeds[c], normal, x, y)
                nf, nc = _faces_of_loops(
                    e, loops, starts, flat, x, y, area, done, joined, ears, edges, offsets, corners, nf, nc
                )
        if nf + 2048 > room or nc + 8192 > corners.shape[0]:
            return edges[:0], offsets[:1], corners[:0], -1
    return edges[:nf], offsets[: nf + 1], corners[:nc], bad
