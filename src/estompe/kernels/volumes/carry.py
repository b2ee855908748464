"""Numbers of a surface's vertices on the voxels around it: each voxel looks up the vertices near its foot on the surface."""

import math

import numpy as np

from estompe.kernels.compile import inlined, inner, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.bricks import Bricks, slot_at, trilinear


@inner
def _vertex_in(table, vertex, z, y, x):
    """The vertex in a cell, or -1."""
    slot = slot_at(table, z, y, x)
    if slot < 0:
        return np.int32(-1)
    return vertex[np.uint64(slot), np.uint64(((z & 7) * 8 + (y & 7)) * 8 + (x & 7))]


@inlined
def _weight(places, n, x, y, z, far):
    """How much a vertex counts at a place: less the farther it is, nothing from so far on."""
    if n < 0:
        return np.float32(0.0)
    dx, dy, dz = places[n, 0] - x, places[n, 1] - y, places[n, 2] - z
    away = far - math.sqrt(dx * dx + dy * dy + dz * dz)
    return away * away * away if away > np.float32(0.0) else np.float32(0.0)


@kernel
def _near(table, vertex, places, numbers, x, y, z, reach):
    """The mean of vertices near a place, by nearness; and how much of any was found."""
    ix, iy, iz = math.floor(x), math.floor(y), math.floor(z)
    total, weights = np.float32(0.0), np.float32(0.0)
    far = np.float32(reach + 0.5)
    # Most often all cells that are looked at stand in one brick.
    alone = (ix - reach) >> 3 == (ix + reach) >> 3 and (iy - reach) >> 3 == (iy + reach) >> 3
    alone = alone and (iz - reach) >> 3 == (iz + reach) >> 3
    slot = slot_at(table, iz, iy, ix) if alone else np.int32(0)
    if slot < 0:
        return total, weights
    for k in range(iz - reach, iz + reach + 1):
        for j in range(iy - reach, iy + reach + 1):
            for i in range(ix - reach, ix + reach + 1):
                if alone:
                    n = vertex[np.uint64(slot), np.uint64(((k & 7) * 8 + (j & 7)) * 8 + (i & 7))]
                else:
                    n = _vertex_in(table, vertex, k, j, i)
                w = _weight(places, n, x, y, z, far)
                if w > np.float32(0.0):
                    total += w * numbers[n]
                    weights += w
    return total, weights


@parallel_kernel
def _on_voxels(table, values, feet, use_feet, out_where, vertex, places, numbers, most, elsewhere, distance, out):
    for s in prange(out_where.shape[0]):
        for at in range(512):
            out[s, at] = elsewhere
            if abs(distance[s, at]) >= most:
                continue
            if use_feet:
                x, y, z = feet[s, 0, at], feet[s, 1, at], feet[s, 2, at]
            else:
                x, y = np.float32(out_where[s, 2] * 8 + (at & 7)), np.float32(out_where[s, 1] * 8 + (at >> 3 & 7))
                z = np.float32(out_where[s, 0] * 8 + (at >> 6))
            for _ in range(2):
                v, gx, gy, gz = trilinear(table, values, x, y, z, np.float32(4.0))
                g = v / max(gx * gx + gy * gy + gz * gz, np.float32(0.25))
                x, y, z = x - g * gx, y - g * gy, z - g * gz
            total, weights = _near(table, vertex, places, numbers, x, y, z, 1)
            if weights <= np.float32(0.0):
                total, weights = _near(table, vertex, places, numbers, x, y, z, 3)
            if weights > np.float32(0.0):
                out[s, at] = total / weights


def vertices_by_cell(slots: int, cells: Indices) -> Indices:
    """The vertex in each cell, int32 (slots, 512), -1 where there is none. cells: as `Surface` has them."""
    found = np.full(slots * 512, -1, np.int32)
    found[cells] = np.arange(len(cells), dtype=np.int32)
    return found.reshape(slots, 512)


def on_voxels(
    bricks: Bricks,
    vertex: Indices,
    places: Floats,
    numbers: Floats,
    where: Indices,
    distance: Floats,
    most: float,
    elsewhere: float,
    feet: Floats | None = None,
) -> Floats:
    """Numbers of a surface's vertices on voxels around it.

    Parameters
    ----------
    bricks : Bricks
        The volume the surface was taken from.
    vertex : int32 (slots, 512)
        As `vertices_by_cell` gives it.
    places, numbers : float32 (n, 3) and (n,)
        The vertices, in voxels from the lattice's first, and what is carried.
    where, distance : int32 (k, 3), float32 (k, 512)
        The bricks that are asked for, and how far their voxels are from the surface, voxels.
    most, elsewhere : float
        Voxels farther than that get this.
    feet : float32 (k, 3, 512), optional
        Where near the surface each voxel's number comes from, if it is farther off than the band.

    Returns
    -------
    float32 (k, 512)
        Means of the vertices within about a voxel of each foot.
    """
    table, _, values = bricks.given
    out = np.empty((len(where), 512), np.float32)
    given = np.zeros((1, 3, 512), np.float32) if feet is None else feet
    _on_voxels(
        table, values, read_only(given), feet is not None, read_only(where), read_only(vertex), read_only(places),
        read_only(numbers), np.float32(most), np.float32(elsewhere), read_only(distance), out,
    )  # fmt: skip
    return out
