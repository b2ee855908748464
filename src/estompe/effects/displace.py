"""Displace: points move along normals by a strength that counts to both sides of a middle."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Displace(Effect, tag="displace"):
    """Each point moves along its normal by the amount times what its strength lies above the middle, in several steps."""

    carries: ClassVar[Carries] = "position"
    middle_setting: ClassVar[str] = "middle"
    label: ClassVar[str] = "Displace"
    text: ClassVar[str] = "Raises and sinks the surface by a falloff; normals are found again between the steps."
    words: ClassVar[str] = (
        "bump, height map, relief, waves, wave, ripple, emboss, noise displacement, vector displacement, "
        "terrain, landscape, ocean, water, bumpy"
    )

    amount: Annotated[
        Number,
        setting(
            "Amount",
            "The distance between the displacement at no strength and at full strength.",
            unit="length",
            step=0.005,
        ),
    ] = 0.1
    middle: Annotated[
        Number,
        setting(
            "Middle", "The strength that leaves the surface where it is.", unit="fraction", low=0.0, high=1.0, step=0.01
        ),
    ] = 0.0
    steps: Annotated[
        int, whole("Steps", "The number of steps with new normals: more lets overhangs lean out.", low=1, high=32)
    ] = 1

    def is_identity(self) -> bool:
        return plain(self.amount) == 0.0

    def reads(self) -> tuple[str, ...]:
        return ("neutral",) if plain(self.middle) else ()

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        amount = plain(self.amount)
        above = self._above(strength, context) if plain(self.middle) else strength
        for _ in range(self.steps):
            geometry = geometry.moved(displace_along(geometry.points, geometry.normals, above, amount / self.steps))
        return geometry

    def _above(self, strength: Floats, context: Context) -> Floats:
        """What the strength lies above the middle, float32 (n,); where a mask has died out both are 0, so there is no cliff."""
        above = strength - context.neutral
        unmasked = context.neutral == np.float32(plain(self.middle))
        return np.where((strength == 0.0) & unmasked, np.float32(0.0), above)
