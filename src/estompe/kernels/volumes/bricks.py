"""Sparse volumes: values in bricks of 8 x 8 x 8 voxels, under a dense table over the box that holds them.

Loops copy a brick with some voxels of its neighbours into a block of their own, work there, and write that brick only: so they
vectorise, and no two threads share an output.
"""

import math
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, inner, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, Matrix, read_only

EDGE, CELLS = 8, 512
OUTSIDE, INSIDE = -1, -2
FAR = np.float32(1e30)
_STEPS = ((0, 0, -1), (0, 0, 1), (0, -1, 0), (0, 1, 0), (-1, 0, 0), (1, 0, 0))
"""The six neighbours of a brick or voxel, as z y x."""


class Lattice(NamedTuple):
    """Where voxels lie.

    origin: float64 (3,), x y z of the first voxel, a whole number of bricks from zero; size: of a voxel, scene units; shape: how
    many bricks along z, y, x.
    """

    origin: Matrix
    size: float
    shape: tuple[int, int, int]

    @property
    def first(self) -> NDArray[np.int64]:
        """The first brick as a count of bricks from zero, int64 (3,), z y x."""
        return np.rint(self.origin[::-1] / (self.size * EDGE)).astype(np.int64)


class Bricks(NamedTuple):
    """One number per voxel near a surface, most often the signed distance to it in voxels, negative inside.

    table: int32 (z, y, x), a brick's slot, OUTSIDE or INSIDE where there is none; where: int32 (slots, 3), z y x of each;
    values: float32 (slots, 512), z y x within the brick; most: what values are cut off at.
    """

    lattice: Lattice
    table: Indices
    where: Indices
    values: Floats
    most: float

    @property
    def given(self) -> tuple[Indices, Indices, Floats]:
        """Table, where and values as loops are compiled for them."""
        return read_only(self.table), read_only(self.where), read_only(self.values)

    @property
    def nbytes(self) -> int:
        """Bytes of the arrays."""
        return sum(array.nbytes for array in self.arrays())

    def arrays(self) -> Iterator[NDArray[Any]]:
        """The arrays."""
        yield self.table
        yield self.where
        yield self.values

    def dense(self) -> Floats:
        """Everything as one array, float32 (z, y, x)."""
        far = np.where(self.table == INSIDE, np.float32(-self.most), np.float32(self.most))
        out = np.repeat(np.repeat(np.repeat(far, EDGE, 0), EDGE, 1), EDGE, 2)
        blocks = out.reshape(*(part for n in self.table.shape for part in (n, EDGE))).transpose(0, 2, 4, 1, 3, 5)
        blocks[tuple(self.where.T)] = self.values.reshape(-1, EDGE, EDGE, EDGE)
        return out


def lattice_around(low: Matrix, high: Matrix, size: float, room: float) -> Lattice:
    """The bricks that hold a box and some voxels of room around it: the same places for one size, wherever the box is."""
    step = size * EDGE
    first = np.floor((np.asarray(low, np.float64) - room * size) / step).astype(np.int64)
    last = np.floor((np.asarray(high, np.float64) + room * size) / step).astype(np.int64) + 1
    x, y, z = (int(count) for count in last - first)
    return placed_lattice(first[::-1], size, (z, y, x))


def placed_lattice(first: NDArray[np.int64], size: float, shape: tuple[int, int, int]) -> Lattice:
    """The lattice that begins at a brick, counted from zero, z y x."""
    return Lattice(np.asarray(first[::-1] * (size * EDGE), np.float64), float(size), shape)


def numbered(chosen: NDArray[np.bool_], elsewhere: Indices) -> tuple[Indices, Indices]:
    """A table with slots for the chosen bricks, and where those are. elsewhere: what stands for the others."""
    where = np.ascontiguousarray(np.argwhere(chosen), np.int32)
    table = np.array(elsewhere, np.int32)
    table[chosen] = np.arange(len(where), dtype=np.int32)
    return table, where


def marked_bricks(shape: tuple[int, ...], where: Indices) -> NDArray[np.bool_]:
    """A table that is true at some bricks. where: int32 (k, 3), z y x."""
    made = np.zeros(shape, np.bool_)
    made[tuple(where.T)] = True
    return made


def widened(marked: NDArray[np.bool_], bricks: int = 1) -> NDArray[np.bool_]:
    """Marked bricks with the 26 around each, so many times over."""
    for axis in [0, 1, 2] * bricks:
        wider = marked.copy()
        ahead, back = [slice(None)] * 3, [slice(None)] * 3
        ahead[axis], back[axis] = slice(1, None), slice(None, -1)
        wider[tuple(ahead)] |= marked[tuple(back)]
        wider[tuple(back)] |= marked[tuple(ahead)]
        marked = wider
    return marked


def within(marked: NDArray[np.bool_], voxels: float) -> NDArray[np.bool_]:
    """The bricks in which a voxel may be nearer than so many voxels to one in a marked brick; none where none is marked."""
    from scipy.ndimage import distance_transform_edt

    if not marked.any():
        return marked
    return np.asarray(distance_transform_edt(~marked) * EDGE - 2 * EDGE <= voxels)


def on_lattice(bricks: Bricks, lattice: Lattice) -> Bricks:
    """The same volume on a lattice of the same size of voxels that holds it."""
    shift = bricks.lattice.first - lattice.first
    if not shift.any() and bricks.lattice.shape == lattice.shape:
        return bricks
    table = np.full(lattice.shape, OUTSIDE, np.int32)
    nz, ny, nx = bricks.table.shape
    z, y, x = (int(n) for n in shift)
    table[z : z + nz, y : y + ny, x : x + nx] = bricks.table
    where = (bricks.where + shift).astype(np.int32)
    return Bricks(lattice, table, where, bricks.values, bricks.most)


@inlined
def slot_at(table, z, y, x):
    """The slot of the brick that a voxel of the lattice lies in; beyond the box it is outside."""
    bz, by, bx = z >> 3, y >> 3, x >> 3
    if bz < 0 or by < 0 or bx < 0 or bz >= table.shape[0] or by >= table.shape[1] or bx >= table.shape[2]:
        return np.int32(OUTSIDE)
    return table[bz, by, bx]


@inlined
def fetch(table, values, z, y, x, most):
    """One voxel by its place on the lattice."""
    slot = slot_at(table, z, y, x)
    if slot < 0:
        return most if slot == OUTSIDE else -most
    return values[np.uint64(slot), np.uint64(((z & 7) * 8 + (y & 7)) * 8 + (x & 7))]


@kernel
def load(table, values, bz, by, bx, most, low, high, out):
    """Copy a brick with some voxels before and after it into a flat block of (8 + low + high) voxels a side."""
    nz, ny, nx = table.shape
    width = 8 + low + high
    for dz in range(-1 if low else 0, 2 if high else 1):
        z0, z1 = (8 - low, 8) if dz < 0 else ((0, high) if dz > 0 else (0, 8))
        oz = 0 if dz < 0 else (low if dz == 0 else low + 8)
        for dy in range(-1 if low else 0, 2 if high else 1):
            y0, y1 = (8 - low, 8) if dy < 0 else ((0, high) if dy > 0 else (0, 8))
            oy = 0 if dy < 0 else (low if dy == 0 else low + 8)
            for dx in range(-1 if low else 0, 2 if high else 1):
                x0, x1 = (8 - low, 8) if dx < 0 else ((0, high) if dx > 0 else (0, 8))
                ox = 0 if dx < 0 else (low if dx == 0 else low + 8)
                z, y, x = bz + dz, by + dy, bx + dx
                slot = OUTSIDE
                if z >= 0 and y >= 0 and x >= 0 and z < nz and y < ny and x < nx:
                    slot = table[z, y, x]
                far = most if slot == OUTSIDE else -most
                for k in range(z1 - z0):
                    for j in range(y1 - y0):
                        p = ((oz + k) * width + oy + j) * width + ox
                        q = ((z0 + k) * 8 + y0 + j) * 8 + x0
                        for i in range(x1 - x0):
                            out[p + i] = values[slot, q + i] if slot >= 0 else far


@kernel
def _around(table, where, steps):
    out = np.full((where.shape[0], 6), np.int32(-1))
    for s in range(where.shape[0]):
        for k in range(6):
            z, y, x = where[s, 0] + steps[k, 0], where[s, 1] + steps[k, 1], where[s, 2] + steps[k, 2]
            if z >= 0 and y >= 0 and x >= 0 and z < table.shape[0] and y < table.shape[1] and x < table.shape[2]:
                out[s, k] = max(table[z, y, x], np.int32(-1))
    return out


def slots_around(table: Indices, where: Indices) -> Indices:
    """The six bricks around each (-x +x -y +y -z +z), int32 (slots, 6); -1 where there is none."""
    out: Indices = _around(read_only(table), read_only(where), np.array(_STEPS, np.int32))
    return out


def cells_of(where: Indices) -> Indices:
    """The place of each voxel of bricks on the lattice, int32 (slots, 512, 3), x y z."""
    at = np.arange(CELLS, dtype=np.int32)
    within = np.stack([at & 7, at >> 3 & 7, at >> 6], axis=1)
    return np.asarray(where[:, None, ::-1] * np.int32(EDGE) + within, np.int32)


def voxel_places(lattice: Lattice, where: Indices) -> Floats:
    """Where the voxels of bricks are, float32 (slots * 512, 3), x y z, in the space of the lattice."""
    # Each axis by itself: what all voxels of a column share is not computed again.
    out = np.empty((len(where), CELLS, 3), np.float32)
    at = np.arange(CELLS)
    for axis, within in enumerate((at & 7, at >> 3 & 7, at >> 6)):
        first = lattice.origin[axis] + where[:, 2 - axis] * (lattice.size * EDGE)
        np.add(first[:, None], within * lattice.size, out=out[:, :, axis], casting="same_kind")
    return out.reshape(-1, 3)


@inner
def trilinear(table, values, x, y, z, most):
    """The value at a place between voxels, and its gradient. x, y, z: voxels from the lattice's first."""
    ix, iy, iz = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = np.float32(x - ix), np.float32(y - iy), np.float32(z - iz)
    a, b = fetch(table, values, iz, iy, ix, most), fetch(table, values, iz, iy, ix + 1, most)
    c, d = fetch(table, values, iz, iy + 1, ix, most), fetch(table, values, iz, iy + 1, ix + 1, most)
    e, f = fetch(table, values, iz + 1, iy, ix, most), fetch(table, values, iz + 1, iy, ix + 1, most)
    g, h = fetch(table, values, iz + 1, iy + 1, ix, most), fetch(table, values, iz + 1, iy + 1, ix + 1, most)
    ab, cd, ef, gh = a + fx * (b - a), c + fx * (d - c), e + fx * (f - e), g + fx * (h - g)
    low, high = ab + fy * (cd - ab), ef + fy * (gh - ef)
    gz = high - low
    gy = (cd - ab) + fz * ((gh - ef) - (cd - ab))
    xl, xh = (b - a) + fy * ((d - c) - (b - a)), (f - e) + fy * ((h - g) - (f - e))
    return low + fz * gz, xl + fz * (xh - xl), gy, gz


@parallel_kernel
def _sampled(table, values, places, origin, over, most, out):
    n = places.shape[0]
    for block in prange((n + 255) // 256):
        for i in range(block * 256, min(n, (block + 1) * 256)):
            x, y = (places[i, 0] - origin[0]) * over, (places[i, 1] - origin[1]) * over
            z = (places[i, 2] - origin[2]) * over
            out[i] = trilinear(table, values, np.float32(x), np.float32(y), np.float32(z), most)[0]


def sampled(bricks: Bricks, places: Floats) -> Floats:
    """The values at places, float32 (n, 3), in the space of the lattice: trilinear between voxels, float32 (n,)."""
    out = np.empty(len(places), np.float32)
    lattice = bricks.lattice
    most = np.float32(bricks.most)
    table, _, values = bricks.given
    _sampled(table, values, read_only(places), lattice.origin, 1.0 / lattice.size, most, out)
    return out
