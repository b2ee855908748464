"""Grow by steps: growth whose falloffs act as they are on each frame, remembered from frame to frame."""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.effects.grow import GrowSettings, slowness
from estompe.geometry import Geometry
from estompe.geometry.volumes.solid import BAND, Solid, surface_of
from estompe.geometry.volumes.voxel_places import VoxelPlaces
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.band import turned
from estompe.kernels.volumes.bricks import CELLS, Bricks, Lattice, placed_lattice
from estompe.kernels.volumes.growth import grown_by_step
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.remembering import LooksPerFrame, Remembered, RememberingEffect, Seen, Since
from estompe.kinds.settings import setting


class Grown(Remembered, frozen=True, eq=False):
    """A volume as it has grown so far.

    first: int64 (3,), the lattice's first brick, z y x; shape: int64 (3,), how many bricks; size: of a voxel; table, where,
    values: as `Bricks` holds them; way: how far it has gone at most, voxels.
    """

    first: NDArray[np.int64]
    shape: NDArray[np.int64]
    size: float
    table: Indices
    where: Indices
    values: Floats
    way: float

    def fits(self, count: int) -> bool:
        del count  # of the mesh that it began from, which no longer matters
        bricks, whole = len(self.where), np.dtype(np.int64)
        if (
            self.first.shape != (3,)
            or self.shape.shape != (3,)
            or self.first.dtype != whole
            or self.shape.dtype != whole
        ):
            return False
        forms = (
            (self.table, np.int32, tuple(self.shape.tolist())),
            (self.where, np.int32, (bricks, 3)),
            (self.values, np.float32, (bricks, CELLS)),
        )
        if not all(array.dtype == kind and array.shape == shape for array, kind, shape in forms):
            return False
        inside = bool((self.where >= 0).all() and (self.where < self.shape).all())
        return inside and bool(self.size > 0.0) and (not self.table.size or int(self.table.max()) < bricks)

    @classmethod
    def of(cls, bricks: Bricks, way: float) -> "Grown":
        """A state that holds a volume."""
        first, shape = bricks.lattice.first, np.array(bricks.lattice.shape, np.int64)
        return cls(first, shape, bricks.lattice.size, bricks.table, bricks.where, bricks.values, way)

    @property
    def bricks(self) -> Bricks:
        """The volume."""
        nz, ny, nx = (int(count) for count in self.shape)
        return Bricks(placed_lattice(self.first, self.size, (nz, ny, nx)), self.table, self.where, self.values, BAND)


@register
class GrowBySteps(GrowSettings, RememberingEffect, tag="grow-by-steps"):
    """Each frame goes on from the one before, with the speed of that moment."""

    state: ClassVar[type[Remembered]] = Grown
    label: ClassVar[str] = "Grow by steps"
    text: ClassVar[str] = (
        "Grows from frame to frame, at a speed that follows its falloffs as they change: where a control passes, it grows."
    )
    words: ClassVar[str] = (
        "grow, trail, simulate growth, accumulate, ridge, deposit, erode over time, build up,"
        " extrude over time, leave behind"
    )

    speed: Annotated[
        Number,
        setting(
            "Speed",
            "How far it grows in a second at full strength: more grows faster.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.1
    looks_per_frame: LooksPerFrame = 1

    def is_identity(self) -> bool:
        return False

    def start(self, now: Seen, frame: float) -> Grown:
        del frame
        places = _places(now.context)
        bricks = places.solid.bricks
        return Grown.of(turned(bricks) if self.inwards else bricks, 0.0)

    def step(self, state: Grown, now: Seen, since: Since) -> Grown:
        places = _places(now.context)
        region, volume = places.region, state.bricks
        if not _same_lattice(volume.lattice, region.lattice):
            raise CannotEvaluateError(
                "the shape no longer lies in the voxels it grew in: put this before what deforms it, or set “Voxel”"
            )
        way = plain(self.speed) * since.seconds / volume.lattice.size
        if way <= 0.0 or not now.strength.any():
            return state
        strength = now.strength.reshape(-1, 512)

        def slow_of(table: Indices, where: Indices) -> Floats:
            del table
            slots = region.table[tuple(where.T)]
            known = slots >= 0
            made = np.zeros((len(where), 512), np.float32)
            made[known] = strength[slots[known]]
            return slowness(made)

        made = grown_by_step(volume, slow_of, way, since.go_on)
        return Grown.of(made, state.way + way * float(now.strength.max()))

    def shown(self, state: Grown, now: Seen) -> Geometry:
        if state.way == 0.0:
            return now.geometry
        solid: Solid = _places(now.context).solid
        bricks = turned(state.bricks) if self.inwards else state.bricks
        return surface_of(solid.with_bricks(self.smoothed(bricks, solid, now.context.go_on)), thickness=True)


def _places(context: Context) -> Any:
    places = context.places
    assert isinstance(places, VoxelPlaces)
    return places


def _same_lattice(one: Lattice, other: Lattice) -> bool:
    return one.size == other.size and one.shape == other.shape and bool((one.first == other.first).all())
