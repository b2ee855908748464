"""Where nodes of branches may be: on triangles, walked from one to the next, or where a signed distance is negative."""

import math
from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inner
from estompe.kernels.types import Floats, Indices, Matrix

_MOST_CROSSINGS = 4096
_MOST_TRACK = 4096


class Ground(NamedTuple):
    """A surface, or a volume, or neither (open space); what is not there is empty.

    points: float64 (n, 3); triangles: int32 (t, 3); beside: int32 (t, 3), the triangle across the edge that follows each
    corner, -1 at a border; normals: float64 (t, 3), unit, zero for degenerate triangles; field: float32 (z, y, x), signed
    distances in voxels, negative inside; origin: float64 (3,), of the first voxel; voxel, margin: scene units, margin is how far
    inside nodes stay.
    """

    points: Matrix
    triangles: Indices
    beside: Indices
    normals: Matrix
    field: Floats
    origin: Matrix
    voxel: float
    margin: float


class Track(NamedTuple):
    """The nodes of one bow before they are taken: positions, float64 (4096, 3), and triangles, int32 (4096,)."""

    positions: Matrix
    triangles: Indices


def new_track() -> Track:
    """An empty track."""
    return Track(np.empty((_MOST_TRACK, 3)), np.empty(_MOST_TRACK, np.int32))


@inner
def distance_and_slope(ground, x, y, z):
    """The signed distance at a place and its gradient, in scene units, interpolated between voxels."""
    field, origin, voxel = ground.field, ground.origin, ground.voxel
    nz, ny, nx = field.shape
    fx = min(max((x - origin[0]) / voxel, 0.0), nx - 1.001)
    fy = min(max((y - origin[1]) / voxel, 0.0), ny - 1.001)
    fz = min(max((z - origin[2]) / voxel, 0.0), nz - 1.001)
    i, j, k = int(fx), int(fy), int(fz)
    u, v, w = fx - i, fy - j, fz - k
    distance, sx, sy, sz = 0.0, 0.0, 0.0, 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                value = field[k + c, j + b, i + a]
                wa, wb, wc = (u if a else 1.0 - u), (v if b else 1.0 - v), (w if c else 1.0 - w)
                distance += value * wa * wb * wc
                sx += value * (1.0 if a else -1.0) * wb * wc
                sy += value * wa * (1.0 if b else -1.0) * wc
                sz += value * wa * wb * (1.0 if c else -1.0)
    return distance * voxel, sx, sy, sz


@inner
def pushed_inside(ground, x, y, z):
    """A place brought back into the volume, and whether it is inside now."""
    if ground.field.shape[0] == 0:
        return x, y, z, True
    for _ in range(4):
        distance, sx, sy, sz = distance_and_slope(ground, x, y, z)
        if distance <= -ground.margin:
            return x, y, z, True
        squared = sx * sx + sy * sy + sz * sz
        if squared < 0.04:
            return x, y, z, False
        out = (distance + ground.margin) / squared
        x, y, z = x - sx * out, y - sy * out, z - sz * out
    distance, sx, sy, sz = distance_and_slope(ground, x, y, z)
    return x, y, z, distance <= -0.5 * ground.margin


@inner
def _edge_ahead(ground, triangle, position, way):
    """The edge of a triangle that a straight way leaves through, -1 where it leaves through none, and how far that is."""
    edge, nearest = -1, 1e300
    nx, ny, nz = ground.normals[triangle, 0], ground.normals[triangle, 1], ground.normals[triangle, 2]
    for k in range(3):
        a, b = ground.triangles[triangle, k], ground.triangles[triangle, (k + 1) % 3]
        gx = ground.points[b, 0] - ground.points[a, 0]
        gy = ground.points[b, 1] - ground.points[a, 1]
        gz = ground.points[b, 2] - ground.points[a, 2]
        mx, my, mz = ny * gz - nz * gy, nz * gx - nx * gz, nx * gy - ny * gx  # into the triangle
        speed = way[0] * mx + way[1] * my + way[2] * mz
        if speed >= 0.0:
            continue
        room = (
            (position[0] - ground.points[a, 0]) * mx
            + (position[1] - ground.points[a, 1]) * my
            + (position[2] - ground.points[a, 2]) * mz
        )
        length = max(room, 0.0) / -speed
        if length < nearest:
            edge, nearest = k, length
    return edge, nearest


@inner
def _unfolded(ground, triangle, edge, other, way):
    """Turn a direction about an edge into the plane of the triangle behind it."""
    a, b = ground.triangles[triangle, edge], ground.triangles[triangle, (edge + 1) % 3]
    gx = ground.points[b, 0] - ground.points[a, 0]
    gy = ground.points[b, 1] - ground.points[a, 1]
    gz = ground.points[b, 2] - ground.points[a, 2]
    length = max(math.sqrt(gx * gx + gy * gy + gz * gz), 1e-300)
    gx, gy, gz = gx / length, gy / length, gz / length
    along = way[0] * gx + way[1] * gy + way[2] * gz
    across = math.sqrt(max(1.0 - along * along, 0.0))
    nx, ny, nz = ground.normals[other, 0], ground.normals[other, 1], ground.normals[other, 2]
    ix, iy, iz = gy * nz - gz * ny, gz * nx - gx * nz, gx * ny - gy * nx
    # Into the other triangle, whichever way round its corners are.
    cx, cy, cz = -ground.points[a, 0], -ground.points[a, 1], -ground.points[a, 2]
    for k in range(3):
        corner = ground.triangles[other, k]
        cx += ground.points[corner, 0] / 3.0
        cy += ground.points[corner, 1] / 3.0
        cz += ground.points[corner, 2] / 3.0
    if ix * cx + iy * cy + iz * cz < 0.0:
        ix, iy, iz = -ix, -iy, -iz
    way[0], way[1], way[2] = along * gx + across * ix, along * gy + across * iy, along * gz + across * iz


@inner
def walked(ground, triangle, position, way, length):
    """Walk straight on over the surface; position and way are moved on.

    Parameters
    ----------
    triangle : int
        The triangle that the position lies on.
    position, way : float64 (3,)
        Where it begins, and a unit direction in the triangle's plane; both are written.
    length : float
        How far, scene units.

    Returns
    -------
    int
        The triangle it ends on; -1 where the surface ends before.
    """
    for _ in range(_MOST_CROSSINGS):
        edge, room = _edge_ahead(ground, triangle, position, way)
        step = min(room, length)
        for axis in range(3):
            position[axis] += way[axis] * step
        if edge < 0 or room >= length:
            return triangle if edge >= 0 else -1
        length -= step
        other = ground.beside[triangle, edge]
        if other < 0:
            return -1
        _unfolded(ground, triangle, edge, other, way)
        triangle = other
    return -1


@inner
def flattened(ground, triangle, way):
    """Turn a direction into a triangle's plane as a unit one; return whether there is any left."""
    nx, ny, nz = ground.normals[triangle, 0], ground.normals[triangle, 1], ground.normals[triangle, 2]
    height = way[0] * nx + way[1] * ny + way[2] * nz
    x, y, z = way[0] - height * nx, way[1] - height * ny, way[2] - height * nz
    length = math.sqrt(x * x + y * y + z * z)
    if length < 1e-9 or nx * nx + ny * ny + nz * nz < 0.5:
        return False
    way[0], way[1], way[2] = x / length, y / length, z / length
    return True
