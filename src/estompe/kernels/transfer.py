"""Values of one surface on another: mixed at places on its triangles."""

import numpy as np

from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

_BLOCK = 512


@parallel_kernel
def _mixed(values, triangles, triangle, weights, out):
    n = out.shape[0]
    for block in prange((n + _BLOCK - 1) // _BLOCK):
        for i in range(block * _BLOCK, min(n, (block + 1) * _BLOCK)):
            t = np.uint64(triangle[i])
            v, w = weights[i, 0], weights[i, 1]
            u = np.float32(1.0) - v - w
            a, b, c = np.uint64(triangles[t, 0]), np.uint64(triangles[t, 1]), np.uint64(triangles[t, 2])
            for k in range(out.shape[1]):
                out[i, k] = u * values[a, k] + v * values[b, k] + w * values[c, k]


def mixed_on_triangles(values: Floats, triangles: Indices, triangle: Indices, weights: Floats) -> Floats:
    """Values of points mixed at places on triangles, float32 (n, k).

    values: float32 (m, k); triangles: int32 (t, 3); triangle: int32 (n,), none below 0; weights: float32 (n, 2), of the
    second and third corner.
    """
    out = np.empty((len(triangle), values.shape[1]), np.float32)
    _mixed(read_only(values), read_only(triangles), read_only(triangle), read_only(weights), out)
    return out


@inlined
def _dot(ax, ay, az, bx, by, bz):
    return ax * bx + ay * by + az * bz


@parallel_kernel
def _corners(values, points, triangles, triangle_corners, leading, places, corners, out):
    for f in prange(leading.shape[0]):
        t = np.uint64(leading[f])
        a, b, c = np.uint64(triangles[t, 0]), np.uint64(triangles[t, 1]), np.uint64(triangles[t, 2])
        ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
        ux, uy, uz = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - az
        vx, vy, vz = points[c, 0] - ax, points[c, 1] - ay, points[c, 2] - az
        uu, uv, vv = _dot(ux, uy, uz, ux, uy, uz), _dot(ux, uy, uz, vx, vy, vz), _dot(vx, vy, vz, vx, vy, vz)
        under = uu * vv - uv * uv
        over = np.float32(1.0) / under if under > np.float32(1e-30) else np.float32(0.0)
        for k in range(4):
            p = np.uint64(corners[4 * f + k])
            px, py, pz = places[p, 0] - ax, places[p, 1] - ay, places[p, 2] - az
            pu, pv = _dot(px, py, pz, ux, uy, uz), _dot(px, py, pz, vx, vy, vz)
            v = min(max((vv * pu - uv * pv) * over, np.float32(-1.0)), np.float32(2.0))
            w = min(max((uu * pv - uv * pu) * over, np.float32(-1.0)), np.float32(2.0))
            u = np.float32(1.0) - v - w
            for m in range(out.shape[1]):
                first, second = values[triangle_corners[t, 0], m], values[triangle_corners[t, 1], m]
                out[4 * f + k, m] = u * first + v * second + w * values[triangle_corners[t, 2], m]


def corners_of_quads(
    values: Floats,
    points: Floats,
    triangles: Indices,
    triangle_corners: Indices,
    leading: Indices,
    places: Floats,
    corners: Indices,
) -> Floats:
    """Values of corners on the corners of quads, each quad's from one triangle, whose plane is gone on with beside it.

    values: float32 (m, k), of the corners; points, triangles, triangle_corners: of the mesh they belong to; leading: int32 (q,),
    the triangle of each quad; places: float32 (n, 3); corners: int32 (4 q,). Returns float32 (4 q, k).
    """
    out = np.empty((len(corners), values.shape[1]), np.float32)
    mesh = read_only(points), read_only(triangles), read_only(triangle_corners)
    _corners(read_only(values), *mesh, read_only(leading), read_only(places), read_only(corners), out)
    return out
