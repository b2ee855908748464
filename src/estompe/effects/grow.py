"""Grow: a front leaves the surface at a speed that follows any falloff; any moment of it is asked directly."""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.effects.round import rounded_by
from estompe.effects.voxels import ClosedVolumeEffect, solid_words
from estompe.geometry import Geometry, GeometryError
from estompe.geometry.volumes.joining import Part, together
from estompe.geometry.volumes.solid import BAND, MOST_VOXELS, Solid, rounded, surface_of
from estompe.geometry.volumes.voxel_places import VoxelPlaces
from estompe.kernels.types import Floats
from estompe.kernels.volumes.band import filled, redistanced, with_volume
from estompe.kernels.volumes.bricks import CELLS, Bricks
from estompe.kernels.volumes.eikonal import feet_of
from estompe.kernels.volumes.feet import feet_at
from estompe.kernels.volumes.growth import Front, Region, front_of, region_around
from estompe.kernels.volumes.refine import refined
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

_SLOWEST = 1e-4
"""Of full speed: what is slower stands still."""


class Growth(Struct, frozen=True, eq=False):
    """A solved growth: the volume it began from, when each place is reached, and where that came from."""

    start: Solid
    front: Front
    feet: NDArray[np.float32] | None

    @property
    def nbytes(self) -> int:
        """Bytes."""
        return sum(array.nbytes for array in self.arrays())

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held."""
        yield from self.start.bricks.arrays()
        yield from self.front.arrays()
        if self.feet is not None:
            yield self.feet


class GrowSettings(ClosedVolumeEffect):
    """What both ways of growing have in common."""

    reach: Annotated[
        Number,
        setting(
            "Distance",
            "How far it grows at full strength: more grows farther.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.3
    direction: Annotated[
        Literal["outwards", "inwards"], setting("Direction", "Whether it grows out of the surface or into the body.")
    ] = "outwards"
    smooth: Annotated[
        Number,
        setting(
            "Smoothing",
            "The size of bumps that are smoothed away: more gives a smoother surface.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.002,
        ),
    ] = 0.0
    keep_volume: Annotated[bool, setting("Keep volume", "Whether smoothing keeps the volume.", folded=True)] = False

    @classmethod
    def summary(cls, after: Geometry) -> str:
        return (
            solid_words(after) or "nothing has grown: its falloffs are nowhere within its reach, or it has just begun"
        )

    @property
    def inwards(self) -> bool:
        return self.direction == "inwards"

    def is_identity(self) -> bool:
        return plain(self.reach) == 0.0

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        reach = plain(self.reach)
        solid = self.solid_of(geometry, context, 0.0 if self.inwards else reach)
        region = region_around(solid.bricks, reach / solid.size + 1.0, self.inwards)
        check_region(region, solid)
        return VoxelPlaces(solid, region)

    def smoothed(self, bricks: Bricks, start: Solid, go_on: Callable[[], None]) -> Bricks:
        """The grown volume smoothed by curvature; what was there at first is not eaten."""
        wide = plain(self.smooth) / start.size
        if wide <= 0.0:
            return bricks
        made = rounded_by(redistanced(bricks, go_on), wide, go_on)
        if self.keep_volume:
            made = with_volume(made, filled(bricks))
        return (
            made if self.inwards else together([Part(made, start.begun), Part(start.bricks, start.begun)], start.frame)
        )


def check_region(region: Region, solid: Solid) -> None:
    """Raise GeometryError for a region of too many voxels."""
    count = len(region.where) * CELLS
    if count > MOST_VOXELS:
        fits = rounded(solid.size * (count / MOST_VOXELS) ** (1 / 3) * 1.1)
        raise GeometryError(
            f"within its reach are {count / 1e6:,.0f} million voxels of {solid.size:.3g} m, more than "
            f"{MOST_VOXELS / 1e6:.0f} million: use voxels of {fits:.3g} m or more, or a shorter way"
        )


def slowness(strength: Floats) -> Floats:
    """The way at full speed that passes while a voxel is crossed, float32 (slots, 512), from a strength on voxels."""
    slow = np.float32(1.0) / np.maximum(strength, np.float32(_SLOWEST))
    return np.asarray(slow, np.float32).reshape(-1, CELLS)


@register
class Grow(GrowSettings, tag="grow"):
    """Arrival times are solved once for a speed that does not change; *Grown* then picks the moment, forwards or backwards."""

    prepares: ClassVar[bool] = True
    late: ClassVar[tuple[str, ...]] = ("grown", "smooth", "keep_volume", "finer")
    label: ClassVar[str] = "Grow"
    text: ClassVar[str] = (
        "Grows a crust or a sponge out of the surface, or eats into it, at a speed that follows any falloff as it is; "
        "it scrubs, holds and runs backwards."
    )
    words: ClassVar[str] = (
        "crust, sponge, expand, swell, coral, inflate, erode, eat into, bloom, level set, offset surface, shrink"
    )

    grown: Annotated[
        Number,
        setting(
            "Growth",
            "The share of the growth that has happened: more has grown farther, keyed it grows over time.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 1.0
    follows: Annotated[
        Literal["the way it grew", "the nearest place"],
        setting(
            "Attribute transfer",
            "Where colours, UVs and attributes come from: along the growth, or from the nearest place.",
            folded=True,
        ),
    ] = "the way it grew"
    finer: Annotated[
        bool,
        setting(
            "Refine surface",
            "Whether the surface is taken at half the voxel size, with four times the faces.",
            folded=True,
        ),
    ] = False

    def prepare(self, geometry: Geometry, strength: Floats, context: Context) -> Growth:
        del geometry
        places = context.places
        assert isinstance(places, VoxelPlaces)
        solid: Solid = places.solid
        region, until = places.region, plain(self.reach) / solid.size
        front = front_of(solid.bricks, region, slowness(strength), until, self.inwards, context.go_on)
        feet = None
        if self.follows == "the way it grew" and not self.inwards:
            feet = feet_of(region.table, region.where, front.times, front.cost, until + 4.0)
        return Growth(solid, front, feet)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        growth: Growth = context.prepared
        start = growth.start
        moment = plain(self.grown) * plain(self.reach) / start.size
        bricks = self.smoothed(growth.front.at(moment, BAND), start, context.go_on)
        feet = growth.feet

        def origins(places: Floats) -> Floats:
            assert feet is not None
            scaled = places * np.float32(0.5) if self.finer else places
            return start.world_of(feet_at(growth.front.region.table, feet, scaled))

        fine = refined(bricks) if self.finer else bricks
        return surface_of(start.with_bricks(fine), None if feet is None else origins, thickness=True)
