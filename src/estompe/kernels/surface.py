"""The nearest point on a triangle mesh, by a tree of boxes over triangles in Morton order.

Closest point of a triangle: Ericson, "Real-Time Collision Detection" (2005), 5.1.5. Sign: angle-weighted pseudonormals of
Bærentzen and Aanæs, "Signed Distance Computation Using the Angle Weighted Pseudonormal" (2005), doi:10.1109/TVCG.2005.49.
"""

from typing import NamedTuple

import numpy as np
from numba import prange
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, kernel, parallel_kernel
from estompe.kernels.order import order_in_space
from estompe.kernels.types import Floats, Indices, read_only

_LEAF = 4
_CHUNK = 256


class Tree(NamedTuple):
    """corners: float32 (t, 9), triangles in Morton order; order: their numbers; boxes: float32 (nodes, 6), a heap."""

    corners: Floats
    order: Indices
    boxes: Floats
    leaves: int


@kernel
def _boxes(corners, leaves):
    boxes = np.empty((2 * leaves, 6), np.float32)
    boxes[:, :3] = np.float32(3e38)
    boxes[:, 3:] = np.float32(-3e38)
    for t in range(corners.shape[0]):
        node = leaves + t // _LEAF
        for c in range(3):
            for axis in range(3):
                boxes[node, axis] = min(boxes[node, axis], corners[t, 3 * c + axis])
                boxes[node, 3 + axis] = max(boxes[node, 3 + axis], corners[t, 3 * c + axis])
    for node in range(leaves - 1, 0, -1):
        for axis in range(3):
            boxes[node, axis] = min(boxes[2 * node, axis], boxes[2 * node + 1, axis])
            boxes[node, 3 + axis] = max(boxes[2 * node, 3 + axis], boxes[2 * node + 1, 3 + axis])
    return boxes


def tree_of(points: Floats, triangles: Indices) -> Tree:
    """The tree over a mesh's triangles, which must not be none. points: float32 (n, 3); triangles: int32 (t, 3)."""
    corners = points[triangles]
    order = order_in_space(corners.mean(axis=1, dtype=np.float32))
    groups = (len(order) + _LEAF - 1) // _LEAF
    leaves = 1 << max(0, groups - 1).bit_length()
    laid = np.ascontiguousarray(corners[order].reshape(-1, 9))
    return Tree(laid, order.astype(np.int32), _boxes(laid, leaves), leaves)


@inlined
def _box_distance(boxes, node, x, y, z):
    dx = max(max(boxes[node, 0] - x, x - boxes[node, 3]), np.float32(0.0))
    dy = max(max(boxes[node, 1] - y, y - boxes[node, 4]), np.float32(0.0))
    dz = max(max(boxes[node, 2] - z, z - boxes[node, 5]), np.float32(0.0))
    return dx * dx + dy * dy + dz * dz


@inlined
def _closest(t, x, y, z):
    """Shares of the second and third corner at the closest point of a triangle."""
    zero, one = np.float32(0.0), np.float32(1.0)
    abx, aby, abz = t[3] - t[0], t[4] - t[1], t[5] - t[2]
    acx, acy, acz = t[6] - t[0], t[7] - t[1], t[8] - t[2]
    apx, apy, apz = x - t[0], y - t[1], z - t[2]
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    if d1 <= zero and d2 <= zero:
        return zero, zero
    bpx, bpy, bpz = x - t[3], y - t[4], z - t[5]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    if d3 >= zero and d4 <= d3:
        return one, zero
    vc = d1 * d4 - d3 * d2
    if vc <= zero and d1 >= zero and d3 <= zero:
        return d1 / (d1 - d3), zero
    cpx, cpy, cpz = x - t[6], y - t[7], z - t[8]
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    if d6 >= zero and d5 <= d6:
        return zero, one
    vb = d5 * d2 - d1 * d6
    if vb <= zero and d2 >= zero and d6 <= zero:
        return zero, d2 / (d2 - d6)
    va = d3 * d6 - d5 * d4
    if va <= zero and d4 - d3 >= zero and d5 - d6 >= zero:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return one - w, w
    under = one / (va + vb + vc)
    return vb * under, vc * under


@inlined
def _to_triangle(t, x, y, z):
    v, w = _closest(t, x, y, z)
    u = np.float32(1.0) - v - w
    dx = x - (u * t[0] + v * t[3] + w * t[6])
    dy = y - (u * t[1] + v * t[4] + w * t[7])
    dz = z - (u * t[2] + v * t[5] + w * t[8])
    return dx * dx + dy * dy + dz * dz, v, w


@parallel_kernel
def _nearest(points, order, corners, boxes, leaves, most, within, distance, triangle, shares):
    n = order.shape[0]
    for chunk in prange((n + _CHUNK - 1) // _CHUNK):
        stack = np.empty(64, np.int64)
        far_away = np.empty(64, np.float32)
        before = np.int64(-1)
        for place in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            i = order[place]
            x, y, z = points[i, 0], points[i, 1], points[i, 2]
            best = most if _box_distance(boxes, 1, x, y, z) > 0 else within
            found = np.int64(-1)
            bv, bw = np.float32(0.0), np.float32(0.0)
            if before >= 0:
                # The neighbour's triangle is a good first guess.
                d, v, w = _to_triangle(corners[before], x, y, z)
                if d < best:
                    best, found, bv, bw = d, before, v, w
            depth = 1
            stack[0] = 1
            far_away[0] = np.float32(0.0)
            while depth > 0:
                depth -= 1
                node = stack[depth]
                if far_away[depth] >= best:
                    continue
                if node >= leaves:
                    first = (node - leaves) * _LEAF
                    for t in range(first, min(first + _LEAF, corners.shape[0])):
                        d, v, w = _to_triangle(corners[t], x, y, z)
                        if d < best:
                            best, found, bv, bw = d, np.int64(t), v, w
                    continue
                left = _box_distance(boxes, 2 * node, x, y, z)
                right = _box_distance(boxes, 2 * node + 1, x, y, z)
                near, far = (2 * node, 2 * node + 1) if left <= right else (2 * node + 1, 2 * node)
                if max(left, right) < best:
                    stack[depth] = far
                    far_away[depth] = max(left, right)
                    depth += 1
                if min(left, right) < best:
                    stack[depth] = near
                    far_away[depth] = min(left, right)
                    depth += 1
            before = found
            distance[i] = np.sqrt(best)
            triangle[i] = found
            shares[i, 0], shares[i, 1] = bv, bw


class Nearest(NamedTuple):
    """distance: float32 (n,); triangle: int32 (n,), -1 where none is near; shares: float32 (n, 2), of its 2nd and 3rd corner."""

    distance: Floats
    triangle: Indices
    shares: Floats


def nearest_on_surface(points: Floats, tree: Tree, most: float = np.inf, within: float | None = None) -> Nearest:
    """The nearest place on a mesh for each point. O(n log t).

    points: float32 (n, 3); most: scene units beyond which nothing is looked for; distance is then that; within: the same
    for points in the box around the mesh, where it is another.
    """
    distance, triangle = np.empty(len(points), np.float32), np.empty(len(points), np.int32)
    shares = np.zeros((len(points), 2), np.float32)
    if len(points):
        limits = [np.float32(min(limit, 1e18)) ** 2 for limit in (most, most if within is None else within)]
        order = order_in_space(points)
        _nearest(read_only(points), order, tree.corners, tree.boxes, tree.leaves, *limits, distance, triangle, shares)
    hit = triangle >= 0
    triangle[hit] = tree.order[triangle[hit]]
    return Nearest(distance, triangle, shares)


@kernel
def _signs(points, mesh, triangles, normals, corner_normals, edge_normals, triangle, shares):
    out = np.ones(points.shape[0], np.float32)
    for i in range(points.shape[0]):
        t = triangle[i]
        if t < 0:
            continue
        v, w = shares[i, 0], shares[i, 1]
        u = np.float32(1.0) - v - w
        small = np.float32(1e-5)
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        if u > 1 - small:
            nx, ny, nz = corner_normals[a, 0], corner_normals[a, 1], corner_normals[a, 2]
        elif v > 1 - small:
            nx, ny, nz = corner_normals[b, 0], corner_normals[b, 1], corner_normals[b, 2]
        elif w > 1 - small:
            nx, ny, nz = corner_normals[c, 0], corner_normals[c, 1], corner_normals[c, 2]
        elif w < small:
            nx, ny, nz = edge_normals[t, 0], edge_normals[t, 1], edge_normals[t, 2]
        elif u < small:
            nx, ny, nz = edge_normals[t, 3], edge_normals[t, 4], edge_normals[t, 5]
        elif v < small:
            nx, ny, nz = edge_normals[t, 6], edge_normals[t, 7], edge_normals[t, 8]
        else:
            nx, ny, nz = normals[t, 0], normals[t, 1], normals[t, 2]
        dx = points[i, 0] - (u * mesh[a, 0] + v * mesh[b, 0] + w * mesh[c, 0])
        dy = points[i, 1] - (u * mesh[a, 1] + v * mesh[b, 1] + w * mesh[c, 1])
        dz = points[i, 2] - (u * mesh[a, 2] + v * mesh[b, 2] + w * mesh[c, 2])
        if dx * nx + dy * ny + dz * nz < 0:
            out[i] = np.float32(-1.0)
    return out


class Outwards(NamedTuple):
    """Which way is out of a mesh: at faces, float32 (t, 3); at corners, (points, 3); at edges, (t, 9)."""

    faces: Floats
    corners: Floats
    edges: Floats


def outwards_of(mesh: Floats, triangles: Indices) -> Outwards:
    """Pseudonormals of a mesh. mesh: float32 (m, 3), its points; triangles: int32 (t, 3), outwards counter-clockwise."""
    corners = mesh[triangles].astype(np.float64)
    edges = np.roll(corners, -1, axis=1) - corners
    normals = np.cross(edges[:, 0], edges[:, 1])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    lengths = np.maximum(np.linalg.norm(edges, axis=2), 1e-30)
    corner_normals = np.zeros((len(mesh), 3))
    for k in range(3):
        cosine = -(edges[:, k] * edges[:, k - 1]).sum(axis=1) / (lengths[:, k] * lengths[:, k - 1])
        _add(corner_normals, triangles[:, k], normals * np.arccos(np.clip(cosine, -1, 1))[:, None])
    edge_normals = _edge_normals(triangles, normals, len(mesh))
    return Outwards(normals.astype(np.float32), corner_normals.astype(np.float32), edge_normals)


def _add(sums: NDArray[np.float64], at: NDArray[np.integer], values: NDArray[np.float64]) -> None:
    for k in range(3):
        sums[:, k] += np.bincount(at, values[:, k], minlength=len(sums))


def signs(points: Floats, mesh: Floats, triangles: Indices, outwards: Outwards, nearest: Nearest) -> Floats:
    """-1 for points inside a closed mesh and 1 outside, float32 (n,).

    points: float32 (n, 3); mesh: float32 (m, 3), its points; triangles: int32 (t, 3), outwards counter-clockwise.
    """
    found = _signs(
        read_only(points), read_only(mesh), read_only(triangles), *outwards, nearest.triangle, nearest.shares
    )
    return np.asarray(found)


def _edge_normals(triangles: Indices, normals: NDArray[np.float64], points: int) -> Floats:
    """The sum of both faces' normals for each edge of each triangle, float32 (t, 9)."""
    following = np.roll(triangles, -1, axis=1).astype(np.int64)
    low, high = np.minimum(triangles, following), np.maximum(triangles, following)
    _, edge = np.unique((low * np.int64(points) + high).reshape(-1), return_inverse=True)
    sums = np.zeros((edge.max() + 1, 3))
    _add(sums, edge, np.repeat(normals, 3, axis=0))
    return np.ascontiguousarray(sums[edge].reshape(-1, 9), np.float32)
