"""Which bodies may touch before long, and where they do."""

import numpy as np

from estompe.kernels.compile import inner, kernel, parallel_kernel, prange
from estompe.kernels.rigid.arrays import PAIR, Form
from estompe.kernels.rigid.hull_pairs import four_of, hulls_touch, scratch
from estompe.kernels.rigid.turning import matrix_into, turned

_HULL, _BALL, _PLANE, _SURFACE = int(Form.HULL), int(Form.BALL), int(Form.PLANE), int(Form.SURFACE)
_BLOCK = 32
_MOVED = 0.05


@kernel
def near_pairs(order, bodies, reach, moves, glued):
    """Pairs whose spheres meet on their way and of which one moves, int32 (m, 2), the lower number first.

    Parameters
    ----------
    order : int64 (n,)
        The bodies by their least X, ties by number.
    bodies : Bodies
    reach : Reach
    moves : bool (n,)
    glued : int64 (g,)
        Keys of pairs that are left out, ascending.
    """
    x, v, radius, margin = bodies.position, bodies.velocity, reach.radius, reach.margin
    n = order.shape[0]
    room = 16 * n + 64
    pairs = np.empty((room, 2), np.int32)
    count = np.int64(0)
    for i in range(n):
        a = order[i]
        speed = np.sqrt(v[a, 0] ** 2 + v[a, 1] ** 2 + v[a, 2] ** 2)
        high = x[a, 0] + radius[a] + margin + reach.seconds * speed
        for j in range(i + 1, n):
            b = order[j]
            speed = np.sqrt(v[b, 0] ** 2 + v[b, 1] ** 2 + v[b, 2] ** 2)
            if x[b, 0] - radius[b] - margin - reach.seconds * speed > high:
                break
            if not (moves[a] or moves[b]) or reach.form[a] == _SURFACE or reach.form[b] == _SURFACE:
                continue
            dx, dy, dz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
            ux, uy, uz = v[b, 0] - v[a, 0], v[b, 1] - v[a, 1], v[b, 2] - v[a, 2]
            far = radius[a] + radius[b] + margin + reach.seconds * np.sqrt(ux * ux + uy * uy + uz * uz)
            if dx * dx + dy * dy + dz * dz > far * far:
                continue
            low, other = min(a, b), max(a, b)
            key = np.int64(low) * PAIR + other
            at = np.searchsorted(glued, key)
            if at < glued.shape[0] and glued[at] == key:
                continue
            if count == room:
                room *= 2
                more = np.empty((room, 2), np.int32)
                for k in range(count):
                    more[k, 0], more[k, 1] = pairs[k, 0], pairs[k, 1]
                pairs = more
            pairs[count, 0], pairs[count, 1] = low, other
            count += 1
    return pairs[:count].copy()


@inner
def _ball_touches(hulls, hull, x, y, z, radius, reach, room, touches, slot):
    """Where a ball touches a hull, in the hull's space; the normal goes from the ball to the hull."""
    planes, points = hulls.planes, hulls.points
    worst, face = -1e30, 0
    for g in range(hulls.face_starts[hull], hulls.face_starts[hull + 1]):
        gap = planes[g, 0] * x + planes[g, 1] * y + planes[g, 2] * z - planes[g, 3]
        if gap > worst:
            worst, face = gap, g
    if worst > radius + reach:
        return np.int64(0)
    if worst <= 0.0:
        for axis in range(3):
            room.normal[axis] = -planes[face, axis]
        touches.gaps[slot, 0] = worst - radius
        touches.places[slot, 0, 0] = x - planes[face, 0] * worst
        touches.places[slot, 0, 1] = y - planes[face, 1] * worst
        touches.places[slot, 0, 2] = z - planes[face, 2] * worst
        return np.int64(1)
    nearest, px, py, pz = 1e30, 0.0, 0.0, 0.0
    for g in range(hulls.face_starts[hull], hulls.face_starts[hull + 1]):
        nx, ny, nz = planes[g, 0], planes[g, 1], planes[g, 2]
        gap = nx * x + ny * y + nz * z - planes[g, 3]
        if gap <= 0.0:
            continue
        inside = True
        first, last = hulls.loop_starts[g], hulls.loop_starts[g + 1]
        for m in range(first, last):
            p, q = points[hulls.loops[m]], points[hulls.loops[m + 1 if m + 1 < last else first]]
            ex, ey, ez = q[0] - p[0], q[1] - p[1], q[2] - p[2]
            dx, dy, dz = x - p[0], y - p[1], z - p[2]
            if (ey * nz - ez * ny) * dx + (ez * nx - ex * nz) * dy + (ex * ny - ey * nx) * dz > 0.0:
                inside = False
                share = (dx * ex + dy * ey + dz * ez) / (ex * ex + ey * ey + ez * ez + 1e-30)
                share = min(max(share, 0.0), 1.0)
                sx, sy, sz = p[0] + share * ex, p[1] + share * ey, p[2] + share * ez
                squared = (x - sx) ** 2 + (y - sy) ** 2 + (z - sz) ** 2
                if squared < nearest:
                    nearest, px, py, pz = squared, sx, sy, sz
        if inside and gap * gap < nearest:
            nearest, px, py, pz = gap * gap, x - gap * nx, y - gap * ny, z - gap * nz
    far = np.sqrt(nearest) + 1e-30
    if far > radius + reach:
        return np.int64(0)
    room.normal[0], room.normal[1], room.normal[2] = (px - x) / far, (py - y) / far, (pz - z) / far
    touches.gaps[slot, 0] = far - radius
    touches.places[slot, 0, 0], touches.places[slot, 0, 1], touches.places[slot, 0, 2] = px, py, pz
    return np.int64(1)


@inner
def _with_ball(hulls, hull, radius, reach, room, touches, slot):
    """A hull and a ball, in the ball's space."""
    between, t = room.between, room.offset
    x = -(between[0, 0] * t[0] + between[1, 0] * t[1] + between[2, 0] * t[2])
    y = -(between[0, 1] * t[0] + between[1, 1] * t[1] + between[2, 1] * t[2])
    z = -(between[0, 2] * t[0] + between[1, 2] * t[1] + between[2, 2] * t[2])
    count = _ball_touches(hulls, hull, x, y, z, radius, reach, room, touches, slot)
    if count:
        nx, ny, nz = room.normal[0], room.normal[1], room.normal[2]
        px, py, pz = touches.places[slot, 0, 0], touches.places[slot, 0, 1], touches.places[slot, 0, 2]
        for i in range(3):
            room.normal[i] = between[i, 0] * nx + between[i, 1] * ny + between[i, 2] * nz
            touches.places[slot, 0, i] = between[i, 0] * px + between[i, 1] * py + between[i, 2] * pz + t[i]
    return count


@inner
def _with_plane(hulls, hull, reach, room, touches, slot):
    """A hull and what lies under a plane across Y, in the plane's space."""
    between, t, count = room.between, room.offset, np.int64(0)
    for p in range(hulls.point_starts[hull], hulls.point_starts[hull + 1]):
        px, py, pz = hulls.points[p, 0], hulls.points[p, 1], hulls.points[p, 2]
        gap = between[1, 0] * px + between[1, 1] * py + between[1, 2] * pz + t[1]
        if gap > reach:
            continue
        room.places[count, 0] = between[0, 0] * px + between[0, 1] * py + between[0, 2] * pz + t[0]
        room.places[count, 1] = 0.5 * gap
        room.places[count, 2] = between[2, 0] * px + between[2, 1] * py + between[2, 2] * pz + t[2]
        room.gaps[count] = gap
        count += 1
    room.normal[0], room.normal[1], room.normal[2] = 0.0, 1.0, 0.0
    return four_of(room, count, touches, slot) if count else np.int64(0)


@inner
def _as_at_rest(bodies, neighbours, at, a, b, size, touches, slot):
    """The places on the face that two neighbours share, as long as they have hardly moved against each other. Returns whether so.

    Otherwise the slot's first gap is set to how much of their overlap at rest is still allowed.
    """
    x, rotation, centres = bodies.position, bodies.rotation, neighbours.centres
    nx, ny, nz = turned(rotation, a, neighbours.normals[at, 0], neighbours.normals[at, 1], neighbours.normals[at, 2])
    farthest = 0.0
    for m in range(max(1, neighbours.counts[at])):
        px, py, pz = neighbours.places[at, m, 0], neighbours.places[at, m, 1], neighbours.places[at, m, 2]
        ax, ay, az = turned(rotation, a, px - centres[a, 0], py - centres[a, 1], pz - centres[a, 2])
        bx, by, bz = turned(rotation, b, px - centres[b, 0], py - centres[b, 1], pz - centres[b, 2])
        ax, ay, az = ax + x[a, 0], ay + x[a, 1], az + x[a, 2]
        bx, by, bz = bx + x[b, 0], by + x[b, 1], bz + x[b, 2]
        dx, dy, dz = bx - ax, by - ay, bz - az
        farthest = max(farthest, dx * dx + dy * dy + dz * dz)
        touches.gaps[slot, m] = dx * nx + dy * ny + dz * nz
        touches.places[slot, m, 0], touches.places[slot, m, 1] = 0.5 * (ax + bx), 0.5 * (ay + by)
        touches.places[slot, m, 2] = 0.5 * (az + bz)
    farthest = np.sqrt(farthest)
    if farthest < _MOVED * size and neighbours.counts[at] > 0:
        touches.normals[slot, 0], touches.normals[slot, 1], touches.normals[slot, 2] = nx, ny, nz
        return True
    touches.gaps[slot, 0] = neighbours.overlap[at] * max(0.0, 1.0 - farthest / size)
    return False


@inner
def _placed_between(bodies, base, moved, room):
    """How one body stands in the space of another."""
    first, second, x, t = room.first, room.second, bodies.position, room.offset
    matrix_into(bodies.rotation, base, first)
    matrix_into(bodies.rotation, moved, second)
    dx, dy, dz = x[moved, 0] - x[base, 0], x[moved, 1] - x[base, 1], x[moved, 2] - x[base, 2]
    for i in range(3):
        t[i] = first[0, i] * dx + first[1, i] * dy + first[2, i] * dz
        for j in range(3):
            room.between[i, j] = first[0, i] * second[0, j] + first[1, i] * second[1, j] + first[2, i] * second[2, j]


@inner
def _reach_of(bodies, reach, a, b):
    """How near two bodies count as touching: nearer than they move and turn towards each other while nobody looks."""
    v, w, radius = bodies.velocity, bodies.spin, reach.radius
    ux, uy, uz = v[b, 0] - v[a, 0], v[b, 1] - v[a, 1], v[b, 2] - v[a, 2]
    least = min(radius[a], radius[b])
    swept = np.sqrt(w[a, 0] ** 2 + w[a, 1] ** 2 + w[a, 2] ** 2) * min(radius[a], 4.0 * least)
    swept += np.sqrt(w[b, 0] ** 2 + w[b, 1] ** 2 + w[b, 2] ** 2) * min(radius[b], 4.0 * least)
    way = reach.seconds * np.sqrt(ux * ux + uy * uy + uz * uz)
    return reach.margin + way + min(reach.seconds * swept, 0.25 * least)


@inner
def _touch_pair(k, a, b, hulls, bodies, reach, neighbours, touches, room):
    """Fill in where one pair touches."""
    key = np.int64(a) * PAIR + b
    at = np.searchsorted(neighbours.keys, key)
    allowed = 0.0
    if at < neighbours.keys.shape[0] and neighbours.keys[at] == key:
        size = min(reach.radius[a], reach.radius[b])
        if _as_at_rest(bodies, neighbours, at, a, b, size, touches, k):
            touches.counts[k] = neighbours.counts[at]
            return
        allowed = touches.gaps[k, 0]
    near = _reach_of(bodies, reach, a, b)
    base, moved = a, b
    if reach.form[b] != _HULL:
        base, moved = b, a
    hull = reach.hull[moved]
    _placed_between(bodies, base, moved, room)
    if reach.form[base] == _HULL:
        count = hulls_touch(hulls, reach.hull[base], hull, near, room, touches, k)
    elif reach.form[base] == _BALL:
        count = _with_ball(hulls, hull, reach.radius[base], near, room, touches, k)
    else:
        count = _with_plane(hulls, hull, near, room, touches, k)
    touches.counts[k] = count
    sign = 1.0 if base == a else -1.0
    turn, normal, x, places = room.first, room.normal, bodies.position, touches.places
    for i in range(3):
        touches.normals[k, i] = sign * (turn[i, 0] * normal[0] + turn[i, 1] * normal[1] + turn[i, 2] * normal[2])
    for m in range(count):
        px, py, pz = places[k, m, 0], places[k, m, 1], places[k, m, 2]
        touches.gaps[k, m] += allowed
        for i in range(3):
            places[k, m, i] = turn[i, 0] * px + turn[i, 1] * py + turn[i, 2] * pz + x[base, i]


@parallel_kernel
def touch(pairs, hulls, bodies, reach, neighbours, touches):
    """Fill in where pairs touch, each in its own slot.

    Parameters
    ----------
    pairs : int32 (m, 2)
        The lower number first; at least one of two is a hull.
    hulls : Hulls
    bodies : Bodies
    reach : Reach
    neighbours : Neighbours
    touches : Touches
        Changed in place.
    """
    total = pairs.shape[0]
    for block in prange((total + _BLOCK - 1) // _BLOCK):
        room = scratch()
        for k in range(block * _BLOCK, min(total, (block + 1) * _BLOCK)):
            _touch_pair(k, pairs[k, 0], pairs[k, 1], hulls, bodies, reach, neighbours, touches, room)
