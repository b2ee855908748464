"""On which side of a closed mesh points lie.

Sign: angle-weighted pseudonormals of Bærentzen and Aanæs, "Signed Distance Computation Using the Angle Weighted Pseudonormal"
(2005), doi:10.1109/TVCG.2005.49.
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.surface import Nearest, foot, row
from estompe.kernels.types import Floats, Indices, read_only

_SMALL = np.float32(1e-5)


class Outwards(NamedTuple):
    """Which way is out of a mesh, of any length: at faces, float32 (t, 3); at corners, (points, 3); at edges, (edges, 3)."""

    faces: Floats
    corners: Floats
    edges: Floats


@inlined
def _angle(ax, ay, az, bx, by, bz):
    """Between two vectors, radians; 0 where one of them has no length."""
    lengths = np.sqrt((ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
    if lengths < 1e-60:
        return 0.0
    return np.arccos(min(max((ax * bx + ay * by + az * bz) / lengths, -1.0), 1.0))


@kernel
def _outwards(points, triangles, edges, faces, corner_sums, edge_sums):
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, az = np.float64(points[a, 0]), np.float64(points[a, 1]), np.float64(points[a, 2])
        ux, uy, uz = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - az
        wx, wy, wz = points[c, 0] - ax, points[c, 1] - ay, points[c, 2] - az
        nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
        over = 1.0 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-30)
        faces[t, 0], faces[t, 1], faces[t, 2] = nx * over, ny * over, nz * over
        at_a = _angle(ux, uy, uz, wx, wy, wz)
        at_b = _angle(-ux, -uy, -uz, wx - ux, wy - uy, wz - uz)
        at_c = _angle(-wx, -wy, -wz, ux - wx, uy - wy, uz - wz)
        for axis in range(3):
            normal = faces[t, axis]
            corner_sums[a, axis] += at_a * normal
            corner_sums[b, axis] += at_b * normal
            corner_sums[c, axis] += at_c * normal
            for k in range(3):
                edge_sums[edges[t, k], axis] += normal


def outwards_of(points: Floats, triangles: Indices, edges: Indices) -> Outwards:
    """Pseudonormals of a mesh.

    points: float32 (n, 3); triangles: int32 (t, 3), outwards counter-clockwise; edges: int32 (t, 3), the number of the edge
    that follows each corner.
    """
    count = int(edges.max(initial=-1)) + 1
    sums = np.empty((len(triangles), 3)), np.zeros((len(points), 3)), np.zeros((count, 3))
    _outwards(read_only(points), read_only(triangles), read_only(edges), *sums)
    return Outwards(*(np.asarray(part, np.float32) for part in sums))


@inlined
def _way_out(t, v, w, triangles, edges, faces, corner_normals, edge_normals):
    """The normal of the corner, edge or face that a place on a triangle belongs to."""
    u = np.float32(1.0) - v - w
    if u > 1 - _SMALL:
        return row(corner_normals, triangles[t, 0])
    if v > 1 - _SMALL:
        return row(corner_normals, triangles[t, 1])
    if w > 1 - _SMALL:
        return row(corner_normals, triangles[t, 2])
    if w < _SMALL:
        return row(edge_normals, edges[t, 0])
    if u < _SMALL:
        return row(edge_normals, edges[t, 1])
    if v < _SMALL:
        return row(edge_normals, edges[t, 2])
    return row(faces, t)


@parallel_kernel
def _signs(places, points, triangles, edges, faces, corner_normals, edge_normals, triangle, weights, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            t, v, w = triangle[i], weights[i, 0], weights[i, 1]
            out[i] = np.float32(1.0)
            if t >= 0:
                nx, ny, nz = _way_out(t, v, w, triangles, edges, faces, corner_normals, edge_normals)
                x, y, z = foot(points, triangles, t, v, w)
                above = (places[i, 0] - x) * nx + (places[i, 1] - y) * ny + (places[i, 2] - z) * nz
                out[i] = np.float32(-1.0) if above < 0 else np.float32(1.0)


def signs(
    places: Floats, points: Floats, triangles: Indices, edges: Indices, outwards: Outwards, at: Nearest
) -> Floats:
    """-1 for places inside a closed mesh and 1 outside, float32 (n,).

    places: float32 (n, 3); points, triangles, edges: the mesh, as for `outwards_of`; at: the nearest place on it for each.
    """
    out = np.empty(len(places), np.float32)
    mesh = read_only(points), read_only(triangles), read_only(edges)
    _signs(read_only(places), *mesh, *outwards, at.triangle, at.weights, out)
    return out
