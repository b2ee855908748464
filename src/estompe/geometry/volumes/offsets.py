"""Volumes moved by heights that are told at the points of their surface: pushed out or in, or with a layer laid over them."""

import math
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.geometry.geometry import Geometry
from estompe.geometry.volumes.solid import BAND, Solid
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.band import trimmed
from estompe.kernels.volumes.bricks import FAR, INSIDE, OUTSIDE, Bricks, marked_bricks, numbered, widened
from estompe.kernels.volumes.carry import on_voxels, vertices_by_cell
from estompe.kernels.volumes.eikonal import feet_of
from estompe.kernels.volumes.growth import front_of, region_around

_NOTHING: Callable[[], None] = lambda: None  # noqa: E731


class Surroundings(Struct, frozen=True, eq=False):
    """Distances around a surface as far as it may be moved, and where on the surface each voxel's number comes from.

    bricks: signed distances up to `bricks.most`; feet: float32 (slots, 3, 512), voxels, where those go beyond the band.
    """

    bricks: Bricks
    feet: Floats | None

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held."""
        yield from self.bricks.arrays()
        if self.feet is not None:
            yield self.feet


def surroundings(solid: Solid, outwards: float, inwards: float, go_on: Callable[[], None] = _NOTHING) -> Surroundings:
    """Distances up to so many voxels to each side; the solid's lattice must have room for them. O(voxels)."""
    if max(outwards, inwards) <= BAND - 1.5:
        return Surroundings(solid.bricks, None)
    bricks, most = solid.bricks, max(outwards, inwards) + 2.0
    sides = []
    for inward, reach in ((False, outwards), (True, inwards)):
        region = region_around(bricks, reach + 2.0, inward)
        slow = np.ones((len(region.where), 512), np.float32)
        front = front_of(bricks, region, slow, reach + 2.0, inward, go_on)
        sides.append((region, front, feet_of(region.table, region.where, front.times, front.cost, reach + 3.0)))
    return _together(bricks, sides, most)


def _together(bricks: Bricks, sides: list[Any], most: float) -> Surroundings:
    """Both sides as one volume: outside from the one, inside from the other."""
    (outer, out_front, out_feet), (inner, in_front, in_feet) = sides
    chosen = (outer.table >= 0) | (inner.table >= 0)
    where = np.ascontiguousarray(np.argwhere(chosen), np.int32)
    table = np.where(bricks.table == INSIDE, np.int32(INSIDE), np.int32(OUTSIDE)).astype(np.int32)
    table[chosen] = np.arange(len(where), dtype=np.int32)
    a, b = outer.table[chosen], inner.table[chosen]
    values, feet = np.empty((len(where), 512), np.float32), np.empty((len(where), 3, 512), np.float32)
    only_out, only_in, both = b < 0, a < 0, (a >= 0) & (b >= 0)
    values[only_out], feet[only_out] = _cut(out_front.times[a[only_out]], most), out_feet[a[only_out]]
    values[only_in], feet[only_in] = -_cut(in_front.times[b[only_in]], most), in_feet[b[only_in]]
    out_times, in_times = out_front.times[a[both]], in_front.times[b[both]]
    outside = out_times > 0.0
    values[both] = np.where(outside, _cut(out_times, most), -_cut(in_times, most))
    feet[both] = np.where(outside[:, None], out_feet[a[both]], in_feet[b[both]])
    return Surroundings(Bricks(bricks.lattice, table, where, values, most), feet)


def _cut(times: Floats, most: float) -> Floats:
    return np.minimum(np.where(times >= FAR, np.float32(most), times), np.float32(most))


def heights_on(surface: Geometry, around: Surroundings, heights: Floats, elsewhere: float) -> Floats:
    """Heights told at a surface's points on the voxels around it, float32 (slots, 512), voxels.

    surface: taken from its solid; heights: float32 (n,), scene units; elsewhere: for voxels without a place on the surface.
    """
    solid: Solid = surface.solid
    assert solid.cells is not None
    bricks, cells = solid.bricks, solid.cells
    vertex: Indices = surface.derived("vertices by cell", lambda: vertices_by_cell(len(bricks.where), cells))
    places: Floats = surface.derived("voxels", lambda: solid.voxels_of(surface.points))
    numbers = (heights / solid.size).astype(np.float32)
    ask = around.bricks
    shift = (ask.lattice.first - bricks.lattice.first).astype(np.int32)
    return on_voxels(bricks, vertex, places, numbers, ask.where + shift, ask.values, ask.most, elsewhere, around.feet)


def moved_out(surface: Geometry, heights: Floats, go_on: Callable[[], None] = _NOTHING) -> Bricks:
    """A volume whose surface lies where the distance is as large as the height of its nearest place.

    surface: taken from a solid whose lattice has room; heights: float32 (n,), scene units, inwards below 0. The values are no
    distances yet.
    """
    solid: Solid = surface.solid
    outwards, inwards = _reaches(heights, solid.size)
    around = surface.derived(("surroundings", outwards, inwards), lambda: surroundings(solid, outwards, inwards, go_on))
    height = heights_on(surface, around, heights, 0.0)
    values = np.clip(around.bricks.values - height, -BAND, BAND)
    values = np.where(np.abs(around.bricks.values) >= around.bricks.most, np.sign(around.bricks.values) * BAND, values)
    return trimmed(around.bricks._replace(values=values.astype(np.float32), most=BAND), BAND)


def _reaches(heights: Floats, size: float) -> tuple[float, float]:
    """How far out and in heights go, whole voxels, so that what is found for them serves smaller ones."""
    most, least = (float(heights.max()), float(heights.min())) if len(heights) else (0.0, 0.0)
    return float(math.ceil(max(most, 0.0) / size)), float(math.ceil(max(-least, 0.0) / size))


def _near_to(surface: Geometry, around: Surroundings, chosen: NDArray[np.bool_], reach: float) -> Surroundings:
    """The bricks within reach of some of a surface's points, voxels: nothing is laid elsewhere, so nothing is looked up there."""
    solid: Solid = surface.solid
    assert solid.cells is not None
    bricks = around.bricks
    begun = solid.bricks.where[np.unique(solid.cells[chosen] >> 9)]
    marked = widened(marked_bricks(bricks.table.shape, begun), math.ceil((reach + 2.0) / 8.0))
    kept = marked[tuple(bricks.where.T)]
    if kept.all():
        return around
    table, where = numbered(marked & (bricks.table >= 0), np.where(bricks.table < 0, bricks.table, np.int32(OUTSIDE)))
    feet = None if around.feet is None else np.ascontiguousarray(around.feet[kept])
    return Surroundings(
        Bricks(bricks.lattice, table, where, np.ascontiguousarray(bricks.values[kept]), bricks.most), feet
    )


def laid_over(
    surface: Geometry, heights: Floats, under: float, most: float, go_on: Callable[[], None] = _NOTHING
) -> Bricks:
    """A closed layer over a volume: between some way under its surface and the heights over it.

    surface: taken from a solid whose lattice has room; heights: float32 (n,), scene units, below -under where there is nothing;
    under, most: how far it goes down, and at most up, scene units.
    """
    solid: Solid = surface.solid
    reach, depth = float(math.ceil(max(most, 0.0) / solid.size)), float(math.ceil(under / solid.size))
    around = surface.derived(("surroundings", reach, depth), lambda: surroundings(solid, reach, depth, go_on))
    around = _near_to(surface, around, heights > -under, max(reach, depth))
    height = heights_on(surface, around, heights, -2.0 * depth - 2.0)
    distance, floor = around.bricks.values, np.float32(under / solid.size)
    values = np.maximum(distance - height, -(distance + floor))
    values = np.where(np.abs(distance) >= around.bricks.most, np.float32(BAND), np.clip(values, -BAND, BAND))
    table = np.where(around.bricks.table < 0, np.int32(OUTSIDE), around.bricks.table).astype(np.int32)
    return trimmed(around.bricks._replace(table=table, values=values.astype(np.float32), most=BAND), BAND)
