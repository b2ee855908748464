"""The nearest point on a triangle mesh, by a tree of boxes over triangles in Morton order.

Closest point of a triangle: Ericson, "Real-Time Collision Detection" (2005), 5.1.5. Points go through the tree in packets of
neighbours, so that a box or a triangle is tried by all of them at once, as rays do in Wald, Slusallek, Benthin and Wagner,
"Interactive Rendering with Coherent Ray Tracing" (2001), doi:10.1111/1467-8659.00508.
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.morton import morton_order
from estompe.kernels.types import Floats, Indices, read_only

_LEAF = 4
_LANES = 16
_CHUNK = 16 * _LANES
# Where a packet's numbers stand in its one array: the compiler then knows that they are apart.
_X, _Y, _Z, _BEST, _SECOND, _THIRD, _ALL = (_LANES * part for part in range(7))
_ZERO, _ONE = np.float32(0.0), np.float32(1.0)


class Tree(NamedTuple):
    """corners: float32 (t, 9), triangles in Morton order; order: their numbers; boxes: float32 (nodes, 6), a heap."""

    corners: Floats
    order: Indices
    boxes: Floats
    leaves: int


@kernel
def _laid_out(points, triangles, order, leaves):
    corners = np.empty((order.shape[0], 9), np.float32)
    boxes = np.empty((2 * leaves, 6), np.float32)
    boxes[:, :3] = np.float32(3e38)
    boxes[:, 3:] = np.float32(-3e38)
    for t in range(order.shape[0]):
        node = leaves + t // _LEAF
        for c in range(3):
            point = triangles[order[t], c]
            for axis in range(3):
                place = points[point, axis]
                corners[t, 3 * c + axis] = place
                boxes[node, axis] = min(boxes[node, axis], place)
                boxes[node, 3 + axis] = max(boxes[node, 3 + axis], place)
    for node in range(leaves - 1, 0, -1):
        for axis in range(3):
            boxes[node, axis] = min(boxes[2 * node, axis], boxes[2 * node + 1, axis])
            boxes[node, 3 + axis] = max(boxes[2 * node, 3 + axis], boxes[2 * node + 1, 3 + axis])
    return corners, boxes


def triangle_order(points: Floats, triangles: Indices) -> Indices:
    """Triangles, int32 (t, 3), in an order in which neighbours stand near each other, int32 (t,); t is at least 1."""
    return morton_order(points[triangles].mean(axis=1, dtype=np.float32)).astype(np.int32)


def tree_of(points: Floats, triangles: Indices, order: Indices) -> Tree:
    """The tree over a mesh's triangles.

    points: float32 (n, 3); triangles: int32 (t, 3); order: as `triangle_order` gives it, for these points or for others
    of the same mesh: places that it does not fit well are found all the same, only more slowly.
    """
    groups = (len(order) + _LEAF - 1) // _LEAF
    leaves = 1 << max(0, groups - 1).bit_length()
    corners, boxes = _laid_out(read_only(points), read_only(triangles), order, leaves)
    return Tree(corners, order, boxes, leaves)


@inlined
def _box_distance(boxes, node, x, y, z):
    dx = max(max(boxes[node, 0] - x, x - boxes[node, 3]), _ZERO)
    dy = max(max(boxes[node, 1] - y, y - boxes[node, 4]), _ZERO)
    dz = max(max(boxes[node, 2] - z, z - boxes[node, 5]), _ZERO)
    return dx * dx + dy * dy + dz * dz


@inlined
def _reached(boxes, node, packet):
    """How many of a packet's points are nearer to a box than to the best they have."""
    left, right = boxes[node, 0], boxes[node, 3]
    low, high = boxes[node, 1], boxes[node, 4]
    back, front = boxes[node, 2], boxes[node, 5]
    nearer = np.int32(0)
    for k in range(_LANES):
        x, y, z = packet[_X + k], packet[_Y + k], packet[_Z + k]
        dx = max(max(left - x, x - right), _ZERO)
        dy = max(max(low - y, y - high), _ZERO)
        dz = max(max(back - z, z - front), _ZERO)
        nearer += np.int32(dx * dx + dy * dy + dz * dz < packet[_BEST + k])
    return nearer


@inlined
def _try_triangle(corners, t, packet, found):
    """Take a triangle where it is nearer. Every case is computed for every point, which is faster than to branch."""
    ax, ay, az = corners[t, 0], corners[t, 1], corners[t, 2]
    bx, by, bz = corners[t, 3], corners[t, 4], corners[t, 5]
    cx, cy, cz = corners[t, 6], corners[t, 7], corners[t, 8]
    abx, aby, abz = bx - ax, by - ay, bz - az
    acx, acy, acz = cx - ax, cy - ay, cz - az
    number = np.int32(t)
    for k in range(_LANES):
        x, y, z = packet[_X + k], packet[_Y + k], packet[_Z + k]
        d1 = abx * (x - ax) + aby * (y - ay) + abz * (z - az)
        d2 = acx * (x - ax) + acy * (y - ay) + acz * (z - az)
        d3 = abx * (x - bx) + aby * (y - by) + abz * (z - bz)
        d4 = acx * (x - bx) + acy * (y - by) + acz * (z - bz)
        d5 = abx * (x - cx) + aby * (y - cy) + abz * (z - cz)
        d6 = acx * (x - cx) + acy * (y - cy) + acz * (z - cz)
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        under = _ONE / (va + vb + vc)
        v, w = vb * under, vc * under
        # The later a case stands, the more it counts: sides after the face, corners after their sides.
        towards_c, towards_b = d4 - d3, d5 - d6
        along = towards_c / (towards_c + towards_b)
        side = (va <= _ZERO) & (towards_c >= _ZERO) & (towards_b >= _ZERO)
        v = _ONE - along if side else v
        w = along if side else w
        along = d2 / (d2 - d6)
        side = (vb <= _ZERO) & (d2 >= _ZERO) & (d6 <= _ZERO)
        v = _ZERO if side else v
        w = along if side else w
        corner = (d6 >= _ZERO) & (d5 <= d6)
        v = _ZERO if corner else v
        w = _ONE if corner else w
        along = d1 / (d1 - d3)
        side = (vc <= _ZERO) & (d1 >= _ZERO) & (d3 <= _ZERO)
        v = along if side else v
        w = _ZERO if side else w
        corner = (d3 >= _ZERO) & (d4 <= d3)
        v = _ONE if corner else v
        w = _ZERO if corner else w
        corner = (d1 <= _ZERO) & (d2 <= _ZERO)
        v = _ZERO if corner else v
        w = _ZERO if corner else w
        u = _ONE - v - w
        dx = x - (u * ax + v * bx + w * cx)
        dy = y - (u * ay + v * by + w * cy)
        dz = z - (u * az + v * bz + w * cz)
        distance, best = dx * dx + dy * dy + dz * dz, packet[_BEST + k]
        nearer = distance < best
        packet[_BEST + k] = distance if nearer else best
        packet[_SECOND + k] = v if nearer else packet[_SECOND + k]
        packet[_THIRD + k] = w if nearer else packet[_THIRD + k]
        found[k] = number if nearer else found[k]


@inlined
def _fill(points, order, first, boxes, most, within, packet, found):
    """A packet of points, the last one repeated where there are too few; gives back their middle."""
    mx, my, mz = _ZERO, _ZERO, _ZERO
    for k in range(_LANES):
        i = order[min(first + k, order.shape[0] - 1)]
        x, y, z = points[i, 0], points[i, 1], points[i, 2]
        packet[_X + k], packet[_Y + k], packet[_Z + k] = x, y, z
        packet[_BEST + k] = most if _box_distance(boxes, 1, x, y, z) > _ZERO else within
        packet[_SECOND + k], packet[_THIRD + k] = _ZERO, _ZERO
        found[k] = np.int32(-1)
        mx, my, mz = mx + x, my + y, mz + z
    over = _ONE / np.float32(_LANES)
    return mx * over, my * over, mz * over


@inlined
def _search(corners, boxes, leaves, middle, packet, found, stack):
    x, y, z = middle
    depth = 1
    stack[0] = 1
    while depth > 0:
        depth -= 1
        node = stack[depth]
        if _reached(boxes, node, packet) == 0:
            continue
        if node >= leaves:
            first = (node - leaves) * _LEAF
            for t in range(first, min(first + _LEAF, corners.shape[0])):
                _try_triangle(corners, t, packet, found)
            continue
        near, far = 2 * node, 2 * node + 1
        if _box_distance(boxes, far, x, y, z) < _box_distance(boxes, near, x, y, z):
            near, far = far, near
        stack[depth], stack[depth + 1] = far, near
        depth += 2


@parallel_kernel
def _nearest(points, order, corners, boxes, leaves, most, within, distance, triangle, weights):
    n = order.shape[0]
    for chunk in prange((n + _CHUNK - 1) // _CHUNK):
        stack = np.empty(64, np.int64)
        packet = np.empty(_ALL, np.float32)
        found = np.empty(_LANES, np.int32)
        before = np.int32(-1)
        for first in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK), _LANES):
            middle = _fill(points, order, first, boxes, most, within, packet, found)
            if before >= 0:
                # The neighbours' triangle is a good first guess.
                _try_triangle(corners, before, packet, found)
            _search(corners, boxes, leaves, middle, packet, found, stack)
            for k in range(min(_LANES, n - first)):
                i = order[first + k]
                distance[i] = np.sqrt(packet[_BEST + k])
                triangle[i] = found[k]
                weights[i, 0], weights[i, 1] = packet[_SECOND + k], packet[_THIRD + k]
            before = found[_LANES - 1]


class Nearest(NamedTuple):
    """distance: float32 (n,); triangle: int32 (n,), -1 where none is near; weights: float32 (n, 2), of its 2nd and 3rd corner."""

    distance: Floats
    triangle: Indices
    weights: Floats


def nearest_on_surface(
    points: Floats, tree: Tree, most: float = np.inf, within: float | None = None, *, in_rows: bool = False
) -> Nearest:
    """The nearest place on a mesh for each point. O(n log t).

    points: float32 (n, 3); most: scene units beyond which nothing is looked for; distance is then that; within: the same
    for points in the box around the mesh, where it is another; in_rows: whether points that follow each other lie beside each
    other, such as voxels, so that they need not be sorted.
    """
    distance, triangle = np.empty(len(points), np.float32), np.empty(len(points), np.int32)
    weights = np.zeros((len(points), 2), np.float32)
    if len(points):
        limits = [np.float32(min(limit, 1e18)) ** 2 for limit in (most, most if within is None else within)]
        order = np.arange(len(points)) if in_rows else morton_order(points)
        _nearest(read_only(points), order, tree.corners, tree.boxes, tree.leaves, *limits, distance, triangle, weights)
    hit = triangle >= 0
    triangle[hit] = tree.order[triangle[hit]]
    return Nearest(distance, triangle, weights)


@inlined
def row(array, number):
    """The three numbers of a row."""
    # Unsigned, so that no index is asked whether it counts from the end.
    at = np.uint64(number)
    return array[at, 0], array[at, 1], array[at, 2]


@inlined
def foot(points, triangles, t, v, w):
    """The place on a triangle with these weights of its second and third corner."""
    ax, ay, az = row(points, triangles[t, 0])
    bx, by, bz = row(points, triangles[t, 1])
    cx, cy, cz = row(points, triangles[t, 2])
    u = _ONE - v - w
    return u * ax + v * bx + w * cx, u * ay + v * by + w * cy, u * az + v * bz + w * cz


@parallel_kernel
def _feet(points, triangles, triangle, weights, out):
    n = out.shape[0]
    for chunk in prange((n + _CHUNK - 1) // _CHUNK):
        for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            if triangle[i] >= 0:
                x, y, z = foot(points, triangles, triangle[i], weights[i, 0], weights[i, 1])
                out[i, 0], out[i, 1], out[i, 2] = x, y, z


def feet(places: Floats, points: Floats, triangles: Indices, nearest: Nearest) -> Floats:
    """The nearest places on a mesh themselves, float32 (n, 3); the places they were looked for from where none is near.

    places: float32 (n, 3); points: float32 (m, 3), the mesh's; triangles: int32 (t, 3).
    """
    out = places.copy()
    _feet(read_only(points), read_only(triangles), nearest.triangle, nearest.weights, out)
    return out
