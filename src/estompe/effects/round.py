"""Round: edges and noise are smoothed by curvature, in the volume."""

import math
from collections.abc import Callable
from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.voxels import ClosedVolumeEffect
from estompe.geometry import Geometry, GeometryError
from estompe.geometry.volumes.joining import lattice_of_all
from estompe.geometry.volumes.offsets import Surroundings, heights_on
from estompe.geometry.volumes.solid import BAND, Solid, solid_of, surface_of
from estompe.kernels.types import Floats
from estompe.kernels.volumes.band import curved, filled, gathered, rebricked, redistanced, trimmed, with_volume
from estompe.kernels.volumes.bricks import INSIDE, OUTSIDE, Bricks, numbered, on_lattice
from estompe.kernels.volumes.refine import refined
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

_WIDEST = 1.5
"""Voxels: wider smoothing is done on voxels up to twice as large as this makes it."""
_AT_ONCE = 1.5
"""Voxels squared of curvature flow between which distances are found anew."""


@register
class Round(ClosedVolumeEffect, tag="round"):
    """The surface moves towards where it bends, so that what is narrower than the length is gone."""

    label: ClassVar[str] = "Round"
    text: ClassVar[str] = "Smooths the surface by its curvature, as if it melted or was worn, and can keep the volume."
    words: ClassVar[str] = (
        "smooth, melt, blur, soften, wear, fillet, polish, relax, bevel, volume smoothing, remesh, chamfer, edge wear"
    )

    smooth: Annotated[
        Number,
        setting(
            "Smoothing",
            "The size of bumps that are smoothed away: more gives a rounder surface.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.005,
        ),
    ] = 0.05
    keep_volume: Annotated[bool, setting("Keep volume", "Whether the surface encloses as much as before.")] = False

    def is_identity(self) -> bool:
        return plain(self.smooth) == 0.0

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        return surface_of(self.solid_of(geometry, context))

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        before: Geometry = context.places
        solid: Solid = before.solid
        wide = plain(self.smooth) / solid.size
        if wide > 2.0 * _WIDEST:
            bricks = _coarsely(before, wide, context.go_on)
        else:
            bricks = rounded_by(solid.bricks, wide, context.go_on)
        if not np.all(strength == 1.0):
            bricks = _mixed(before, bricks, strength, context.go_on)
        if self.keep_volume:
            bricks = with_volume(bricks, filled(solid.bricks))
        return surface_of(solid.with_bricks(bricks))


def on_band(surface: Geometry, values: Floats, bricks: Bricks) -> Floats:
    """Values of a surface's points on the voxels of bricks near it, float32 (slots, 512)."""
    solid: Solid = surface.solid
    return heights_on(surface, Surroundings(bricks, None), values * np.float32(solid.size), 0.0)


def rounded_by(bricks: Bricks, voxels: float, go_on: Callable[[], None]) -> Bricks:
    """A volume smoothed as if by a Gaussian so many voxels wide, by curvature."""
    left = 0.5 * voxels * voxels
    while left > 1e-9:
        way = min(left, _AT_ONCE)
        bricks = redistanced(rebricked(curved(bricks, way, go_on=go_on)), go_on)
        left -= way
    return bricks


def _coarsely(surface: Geometry, voxels: float, go_on: Callable[[], None]) -> Bricks:
    """The same for wide smoothing, on larger voxels: what they cannot show is smoothed away all the same."""
    solid: Solid = surface.solid
    halvings = math.ceil(math.log2(voxels / (2.0 * _WIDEST)))
    coarse = None
    while coarse is None:
        try:
            coarse = solid_of(surface, solid.frame, solid.size * 2.0**halvings).bricks
        except GeometryError:
            halvings -= 1  # thinner than such a voxel
    bricks = rounded_by(coarse, voxels / 2.0**halvings, go_on)
    for _ in range(halvings):
        bricks = trimmed(refined(rebricked(bricks)), BAND)
    return redistanced(bricks, go_on)


def _mixed(surface: Geometry, smooth: Bricks, strength: Floats, go_on: Callable[[], None]) -> Bricks:
    """Between a volume and its smoothed one, by a strength on the surface."""
    solid: Solid = surface.solid
    lattice = lattice_of_all([solid.bricks, smooth])
    before, after = on_lattice(solid.bricks, lattice), on_lattice(smooth, lattice)
    either = (before.table >= 0) | (after.table >= 0)
    table, where = numbered(either, np.where(before.table == INSIDE, np.int32(INSIDE), np.int32(OUTSIDE)))
    there = Bricks(lattice, table, where, gathered(before, where), BAND)
    share = on_band(surface, strength, there)
    values = there.values + share * (gathered(after, where) - there.values)
    return redistanced(there._replace(values=values), go_on)
