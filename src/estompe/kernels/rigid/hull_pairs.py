"""Where two convex hulls touch.

Separating axes are looked for among the normals of faces, and among crossings of edges whose arcs on the sphere of normals meet
(Gregorius 2013, "The separating axis test between convex polyhedra"). Faces are clipped against each other (Sutherland and
Hodgman 1974, doi:10.1145/360767.360802).
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inner
from estompe.kernels.rigid.arrays import Reals, Wholes

MOST_CORNERS = 320
_POLYGON = 64


class Scratch(NamedTuple):
    """Room that one thread works in."""

    corners: Reals
    planes: Reals
    edges: Wholes
    polygon: Reals
    clipped: Reals
    places: Reals
    gaps: Reals
    between: Reals
    first: Reals
    second: Reals
    offset: Reals
    normal: Reals


@inner
def scratch():
    """Room for one thread."""
    return Scratch(
        np.empty((MOST_CORNERS, 3)), np.empty((MOST_CORNERS, 4)), np.empty(MOST_CORNERS, np.int64),
        np.empty((_POLYGON, 3)), np.empty((_POLYGON, 3)), np.empty((MOST_CORNERS, 3)), np.empty(MOST_CORNERS),
        np.empty((3, 3)), np.empty((3, 3)), np.empty((3, 3)), np.empty(3), np.empty(3),
    )  # fmt: skip


@inner
def four_of(room, count, touches, slot):
    """Keep at most four of the places found, the deepest and others far from it, in a slot. Returns how many."""
    places, gaps, normal = room.places, room.gaps, room.normal
    if count <= 4:
        for i in range(count):
            touches.gaps[slot, i] = gaps[i]
            for axis in range(3):
                touches.places[slot, i, axis] = places[i, axis]
        return count
    chosen = np.empty(4, np.int64)
    chosen[0] = 0
    for i in range(count):
        if gaps[i] < gaps[chosen[0]]:
            chosen[0] = i
    farthest = -1.0
    for i in range(count):
        far = 0.0
        for axis in range(3):
            far += (places[i, axis] - places[chosen[0], axis]) ** 2
        if far > farthest:
            farthest, chosen[1] = far, i
    largest, smallest = 0.0, 0.0
    chosen[2], chosen[3] = -1, -1
    ax, ay, az = places[chosen[0], 0], places[chosen[0], 1], places[chosen[0], 2]
    ex, ey, ez = places[chosen[1], 0] - ax, places[chosen[1], 1] - ay, places[chosen[1], 2] - az
    for i in range(count):
        dx, dy, dz = places[i, 0] - ax, places[i, 1] - ay, places[i, 2] - az
        area = normal[0] * (ey * dz - ez * dy) + normal[1] * (ez * dx - ex * dz) + normal[2] * (ex * dy - ey * dx)
        if area > largest:
            largest, chosen[2] = area, i
        if area < smallest:
            smallest, chosen[3] = area, i
    kept = np.int64(0)
    for c in range(4):
        i = chosen[c]
        if i < 0:
            continue
        touches.gaps[slot, kept] = gaps[i]
        for axis in range(3):
            touches.places[slot, kept, axis] = places[i, axis]
        kept += 1
    return kept


@inner
def _apart_between_centres(hulls, one, other, reach, room):
    """Whether a plane across the line between the centres separates them; also fills in the corners of the other."""
    corners, between, t = room.corners, room.between, room.offset
    starts, points = hulls.point_starts, hulls.points
    far = np.sqrt(t[0] * t[0] + t[1] * t[1] + t[2] * t[2]) + 1e-30
    lx, ly, lz = t[0] / far, t[1] / far, t[2] / far
    high = -1e30
    for p in range(starts[one], starts[one + 1]):
        high = max(high, lx * points[p, 0] + ly * points[p, 1] + lz * points[p, 2])
    low, first = 1e30, starts[other]
    for p in range(first, starts[other + 1]):
        px, py, pz = points[p, 0], points[p, 1], points[p, 2]
        x = between[0, 0] * px + between[0, 1] * py + between[0, 2] * pz + t[0]
        y = between[1, 0] * px + between[1, 1] * py + between[1, 2] * pz + t[1]
        z = between[2, 0] * px + between[2, 1] * py + between[2, 2] * pz + t[2]
        corners[p - first, 0], corners[p - first, 1], corners[p - first, 2] = x, y, z
        low = min(low, lx * x + ly * y + lz * z)
    return low - high > reach


@inner
def _face_of_one(hulls, one, count, reach, room):
    """The face of the first hull that the other lies farthest out of, and how far, beyond the reach as soon as one is."""
    planes, corners = hulls.planes, room.corners
    best, face = -1e30, 0
    for f in range(hulls.face_starts[one], hulls.face_starts[one + 1]):
        gap = 1e30
        for p in range(count):
            gap = min(gap, planes[f, 0] * corners[p, 0] + planes[f, 1] * corners[p, 1] + planes[f, 2] * corners[p, 2])
        gap -= planes[f, 3]
        if gap > best:
            best, face = gap, f
            if gap > reach:
                break
    return best, face


@inner
def _face_of_other(hulls, one, other, reach, room):
    """The same for the faces of the other hull, whose planes it fills in."""
    planes, between, t, points = room.planes, room.between, room.offset, hulls.points
    first, last = hulls.point_starts[one], hulls.point_starts[one + 1]
    begin = hulls.face_starts[other]
    best, face = -1e30, 0
    for f in range(begin, hulls.face_starts[other + 1]):
        for axis in range(3):
            planes[f - begin, axis] = (
                between[axis, 0] * hulls.planes[f, 0]
                + between[axis, 1] * hulls.planes[f, 1]
                + between[axis, 2] * hulls.planes[f, 2]
            )
        nx, ny, nz = planes[f - begin, 0], planes[f - begin, 1], planes[f - begin, 2]
        d = hulls.planes[f, 3] + nx * t[0] + ny * t[1] + nz * t[2]
        planes[f - begin, 3] = d
        gap = 1e30
        for p in range(first, last):
            gap = min(gap, nx * points[p, 0] + ny * points[p, 1] + nz * points[p, 2])
        gap -= d
        if gap > best:
            best, face = gap, f
            if gap > reach:
                break
    return best, face


@inner
def _near_edge(ax, ay, az, bx, by, bz, cx, cy, cz, reach):
    """Whether an edge comes as near to a centre as the reach."""
    dx, dy, dz = bx - ax, by - ay, bz - az
    share = ((cx - ax) * dx + (cy - ay) * dy + (cz - az) * dz) / (dx * dx + dy * dy + dz * dz + 1e-30)
    share = min(max(share, 0.0), 1.0)
    x, y, z = ax + share * dx - cx, ay + share * dy - cy, az + share * dz - cz
    return x * x + y * y + z * z <= reach * reach


@inner
def _edges_of_other(hulls, one, other, face, reach, room):
    """The edges of the other hull that may cross one of the first. face: the best one of the first, under which they lie."""
    corners, planes = room.corners, hulls.planes
    first, count, near = hulls.point_starts[other], np.int64(0), hulls.radius[one] + reach
    nx, ny, nz, d = planes[face, 0], planes[face, 1], planes[face, 2], planes[face, 3]
    for e in range(hulls.edge_starts[other], hulls.edge_starts[other + 1]):
        i, j = hulls.ends[e, 0] - first, hulls.ends[e, 1] - first
        height = nx * corners[i, 0] + ny * corners[i, 1] + nz * corners[i, 2]
        height = min(height, nx * corners[j, 0] + ny * corners[j, 1] + nz * corners[j, 2])
        if height - d > reach or count == MOST_CORNERS:
            continue
        a, b = corners[i], corners[j]
        if _near_edge(a[0], a[1], a[2], b[0], b[1], b[2], 0.0, 0.0, 0.0, near):
            room.edges[count] = e
            count += 1
    return count


@inner
def _edges_apart(hulls, one, other, face, count, reach, room):
    """How far apart two edges are along the best axis across both, and which ones; their normal is left in the room."""
    corners, planes, between, t, points = room.corners, room.planes, room.between, room.offset, hulls.points
    first, first_face = hulls.point_starts[other], hulls.face_starts[other]
    f = face - first_face
    nx, ny, nz, d = planes[f, 0], planes[f, 1], planes[f, 2], planes[f, 3]
    best, edge_one, edge_other = -1e30, -1, -1
    near = hulls.radius[other] + reach
    for e in range(hulls.edge_starts[one], hulls.edge_starts[one + 1]):
        i, j = hulls.ends[e, 0], hulls.ends[e, 1]
        height = nx * points[i, 0] + ny * points[i, 1] + nz * points[i, 2]
        height = min(height, nx * points[j, 0] + ny * points[j, 1] + nz * points[j, 2])
        if height - d > reach:
            continue
        p, q = points[i], points[j]
        if not _near_edge(p[0], p[1], p[2], q[0], q[1], q[2], t[0], t[1], t[2], near):
            continue
        dx, dy, dz = q[0] - p[0], q[1] - p[1], q[2] - p[2]
        one_side, two_side = hulls.planes[hulls.sides[e, 0]], hulls.planes[hulls.sides[e, 1]]
        fold = hulls.folds[e]
        for c in range(count):
            g = room.edges[c]
            c0, c1 = hulls.sides[g, 0] - first_face, hulls.sides[g, 1] - first_face
            cba = -(planes[c0, 0] * fold[0] + planes[c0, 1] * fold[1] + planes[c0, 2] * fold[2])
            dba = -(planes[c1, 0] * fold[0] + planes[c1, 1] * fold[1] + planes[c1, 2] * fold[2])
            if cba * dba >= 0.0:
                continue
            other_fold = hulls.folds[g]
            fx = between[0, 0] * other_fold[0] + between[0, 1] * other_fold[1] + between[0, 2] * other_fold[2]
            fy = between[1, 0] * other_fold[0] + between[1, 1] * other_fold[1] + between[1, 2] * other_fold[2]
            fz = between[2, 0] * other_fold[0] + between[2, 1] * other_fold[1] + between[2, 2] * other_fold[2]
            adc = one_side[0] * fx + one_side[1] * fy + one_side[2] * fz
            bdc = two_side[0] * fx + two_side[1] * fy + two_side[2] * fz
            if adc * bdc >= 0.0 or cba * bdc <= 0.0:
                continue
            k, m = hulls.ends[g, 0] - first, hulls.ends[g, 1] - first
            gx, gy, gz = corners[m, 0] - corners[k, 0], corners[m, 1] - corners[k, 1], corners[m, 2] - corners[k, 2]
            ax, ay, az = dy * gz - dz * gy, dz * gx - dx * gz, dx * gy - dy * gx
            squared = ax * ax + ay * ay + az * az
            if squared < 1e-4 * (dx * dx + dy * dy + dz * dz) * (gx * gx + gy * gy + gz * gz):
                continue
            by = 1.0 / np.sqrt(squared)
            if ax * p[0] + ay * p[1] + az * p[2] < 0.0:
                by = -by
            ax, ay, az = ax * by, ay * by, az * by
            gap = ax * (corners[k, 0] - p[0]) + ay * (corners[k, 1] - p[1]) + az * (corners[k, 2] - p[2])
            if gap > best:
                best, edge_one, edge_other = gap, e, g
                room.normal[0], room.normal[1], room.normal[2] = ax, ay, az
                if gap > reach:
                    return best, edge_one, edge_other
    return best, edge_one, edge_other


@inner
def _crossing(hulls, other, edge_one, edge_other, gap, room, touches, slot):
    """The place midway between two edges that cross, in a slot."""
    corners, points, first = room.corners, hulls.points, hulls.point_starts[other]
    p, q = points[hulls.ends[edge_one, 0]], points[hulls.ends[edge_one, 1]]
    r, s = corners[hulls.ends[edge_other, 0] - first], corners[hulls.ends[edge_other, 1] - first]
    ux, uy, uz = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    vx, vy, vz = s[0] - r[0], s[1] - r[1], s[2] - r[2]
    wx, wy, wz = p[0] - r[0], p[1] - r[1], p[2] - r[2]
    a, b, c = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    d, e = ux * wx + uy * wy + uz * wz, vx * wx + vy * wy + vz * wz
    below = a * c - b * b + 1e-30
    along = min(max((b * e - c * d) / below, 0.0), 1.0)
    across = min(max((a * e - b * d) / below, 0.0), 1.0)
    touches.gaps[slot, 0] = gap
    touches.places[slot, 0, 0] = 0.5 * (p[0] + along * ux + r[0] + across * vx)
    touches.places[slot, 0, 1] = 0.5 * (p[1] + along * uy + r[1] + across * vy)
    touches.places[slot, 0, 2] = 0.5 * (p[2] + along * uz + r[2] + across * vz)


@inner
def _clipped(hulls, reference, incident, own, own_first, other, other_first, plane, reach, room):
    """The part of one face that lies over another and within reach of it. Returns how many places are left in the room."""
    loop_starts, loops = hulls.loop_starts, hulls.loops
    count = np.int64(0)
    for m in range(loop_starts[incident], loop_starts[incident + 1]):
        p = loops[m] - other_first
        for axis in range(3):
            room.polygon[count, axis] = other[p, axis]
        count += 1
    first, last = loop_starts[reference], loop_starts[reference + 1]
    swapped = False
    for m in range(first, last):
        i, j = loops[m] - own_first, loops[m + 1 if m + 1 < last else first] - own_first
        ex, ey, ez = own[j, 0] - own[i, 0], own[j, 1] - own[i, 1], own[j, 2] - own[i, 2]
        sx, sy, sz = ey * plane[2] - ez * plane[1], ez * plane[0] - ex * plane[2], ex * plane[1] - ey * plane[0]
        d = sx * own[i, 0] + sy * own[i, 1] + sz * own[i, 2]
        source = room.clipped if swapped else room.polygon
        target = room.polygon if swapped else room.clipped
        left = np.int64(0)
        for k in range(count):
            n = k + 1 if k + 1 < count else 0
            a = sx * source[k, 0] + sy * source[k, 1] + sz * source[k, 2] - d
            b = sx * source[n, 0] + sy * source[n, 1] + sz * source[n, 2] - d
            if a <= 0.0:
                for axis in range(3):
                    target[left, axis] = source[k, axis]
                left += 1
            if (a < 0.0 and b > 0.0) or (a > 0.0 and b < 0.0):
                share = a / (a - b)
                for axis in range(3):
                    target[left, axis] = source[k, axis] + share * (source[n, axis] - source[k, axis])
                left += 1
            if left > _POLYGON - 4:
                break
        swapped = not swapped
        count = left
        if count == 0:
            return np.int64(0)
    polygon = room.clipped if swapped else room.polygon
    near = np.int64(0)
    for k in range(count):
        gap = plane[0] * polygon[k, 0] + plane[1] * polygon[k, 1] + plane[2] * polygon[k, 2] - plane[3]
        if gap <= reach:
            room.gaps[near] = gap
            for axis in range(3):
                room.places[near, axis] = polygon[k, axis] - 0.5 * gap * plane[axis]
            near += 1
    return near


@inner
def _facing(planes, first, last, offset, plane):
    """The face that looks most against a plane."""
    least, face = 2.0, first
    for g in range(first, last):
        p = planes[g - offset]
        along = plane[0] * p[0] + plane[1] * p[1] + plane[2] * p[2]
        if along < least:
            least, face = along, g
    return face


@inner
def _deepest(corners, first, last, plane, room):
    """The corner that lies deepest under a plane, for hulls that overlap beside their facing faces. Returns one place."""
    lowest, best = 1e30, first
    for p in range(first, last):
        gap = plane[0] * corners[p, 0] + plane[1] * corners[p, 1] + plane[2] * corners[p, 2] - plane[3]
        if gap < lowest:
            lowest, best = gap, p
    room.gaps[0] = lowest
    for axis in range(3):
        room.places[0, axis] = corners[best, axis] - 0.5 * lowest * plane[axis]
    return np.int64(1)


@inner
def hulls_touch(hulls, one, other, reach, room, touches, slot):
    """Where two hulls come nearer than a reach, in the space of the first. Returns how many places are in the slot.

    The room holds how the other stands in that space (`between`, `offset`), and gets the normal from the first to the other.
    """
    if _apart_between_centres(hulls, one, other, reach, room):
        return np.int64(0)
    corners_of_other = hulls.point_starts[other + 1] - hulls.point_starts[other]
    gap_one, face_one = _face_of_one(hulls, one, corners_of_other, reach, room)
    if gap_one > reach:
        return np.int64(0)
    gap_other, face_other = _face_of_other(hulls, one, other, reach, room)
    if gap_other > reach:
        return np.int64(0)
    count = _edges_of_other(hulls, one, other, face_one, reach, room)
    gap_edges, edge_one, edge_other = _edges_apart(hulls, one, other, face_other, count, reach, room)
    if gap_edges > reach:
        return np.int64(0)
    # A face is kept where an edge is hardly better: its place would jump.
    little = 0.01 * min(hulls.radius[one], hulls.radius[other])
    if edge_one >= 0 and gap_edges > max(gap_one, gap_other) + little:
        _crossing(hulls, other, edge_one, edge_other, gap_edges, room, touches, slot)
        return np.int64(1)
    none = np.int32(0)
    first, first_face = hulls.point_starts[other], hulls.face_starts[other]
    if gap_other > gap_one + little:
        plane = room.planes[face_other - first_face]
        facing = _facing(hulls.planes, hulls.face_starts[one], hulls.face_starts[one + 1], none, plane)
        near = _clipped(hulls, face_other, facing, room.corners, first, hulls.points, none, plane, reach, room)
        room.normal[0], room.normal[1], room.normal[2] = -plane[0], -plane[1], -plane[2]
        if near == 0 and gap_other < 0.0:
            near = _deepest(hulls.points, hulls.point_starts[one], hulls.point_starts[one + 1], plane, room)
    else:
        plane = hulls.planes[face_one].copy()
        facing = _facing(room.planes, first_face, hulls.face_starts[other + 1], first_face, plane)
        near = _clipped(hulls, face_one, facing, hulls.points, none, room.corners, first, plane, reach, room)
        room.normal[0], room.normal[1], room.normal[2] = plane[0], plane[1], plane[2]
        if near == 0 and gap_one < 0.0:
            near = _deepest(room.corners, none, corners_of_other, plane, room)
    return four_of(room, near, touches, slot)
