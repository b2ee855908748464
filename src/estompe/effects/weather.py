"""Weather: the surface of a volume is pushed out or in along its true distance, in steps."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.voxels import ClosedVolumeEffect
from estompe.geometry import Geometry
from estompe.geometry.volumes.offsets import moved_out
from estompe.geometry.volumes.solid import Solid, surface_of
from estompe.kernels.types import Floats
from estompe.kernels.volumes.band import rebricked, redistanced
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Weather(ClosedVolumeEffect, tag="weather"):
    """Each step pushes by its share of the amount times the strength as it is on the surface by then; nothing folds over
    itself.
    """

    label: ClassVar[str] = "Weather"
    text: ClassVar[str] = (
        "Pushes a volume's surface out or in, as moss, rust and worn places do; overhangs come out sound."
    )
    words: ClassVar[str] = (
        "moss, erosion, erode, rust, wear, age, patina, corrode, decay, voxel displace, snow, dirt, rock, stone, peel"
    )

    amount: Annotated[
        Number,
        setting(
            "Amount",
            "How far the surface moves at full strength: below 0 it is worn in.",
            unit="length",
            low=-1e4,
            high=1e4,
            step=0.005,
        ),
    ] = 0.05
    steps: Annotated[
        int,
        whole(
            "Steps",
            "The number of steps, each with falloffs measured anew: more lets weathering build on itself.",
            low=1,
            high=12,
        ),
    ] = 2

    def is_identity(self) -> bool:
        return plain(self.amount) == 0.0

    def repeats(self) -> int:
        return self.steps

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        known: Solid | None = geometry.solid
        room = abs(plain(self.amount)) + 8.0 * self.size_of(geometry, context)
        solid = self.solid_of(geometry, context, room)
        return geometry if known is solid else surface_of(solid)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        before: Geometry = context.places
        solid: Solid = before.solid
        heights = strength * np.float32(plain(self.amount) / self.steps)
        made = redistanced(rebricked(moved_out(before, heights, context.go_on)), context.go_on)
        return surface_of(solid.with_bricks(made))
