"""Crumple: points sink in, each by a random share."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.carrying import Spread, varied
from estompe.geometry.random import random_of
from estompe.geometry.samples import samples_of
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Crumple(Effect, tag="crumple"):
    """Points move against their normals by a share of the amount that stays with each; pieces move towards the middle of all."""

    acts: ClassVar[tuple[ActsOn, ...]] = EVERY_ELEMENT
    label: ClassVar[str] = "Crumple"
    text: ClassVar[str] = "Sinks the surface in, each point by a random share of the amount, as paper or tar shrinks."
    words: ClassVar[str] = (
        "shrivel, wrinkle, dent, shrink, paper, crease, crush, jitter, deflate, wither, dry, dehydrate, origami"
    )

    amount: Annotated[
        Number, setting("Amount", "The farthest that a point sinks at full strength.", unit="length", step=0.005)
    ] = 0.1
    least: Annotated[
        Number,
        setting(
            "Minimum",
            "The share of the amount that every point sinks: more makes the surface more even.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.3
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other shares.", low=0, high=2**31 - 1)
    ] = 1

    def is_identity(self) -> bool:
        return plain(self.amount) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        elements, least = samples_of(geometry, context.domain), np.float32(plain(self.least))
        if context.domain is Domain.POINT:
            # Points have the same numbers on every frame.
            key = "crumpled", self.seed
            random = geometry.topology.derived(key, lambda: frozen(random_of(elements.ids, self.seed)))
        else:
            random = random_of(elements.ids, self.seed)
        shares = least + (np.float32(1.0) - least) * random
        if context.domain is Domain.POINT:
            sunk = displace_along(geometry.points, geometry.normals, strength * shares, -plain(self.amount))
            return geometry.moved(sunk)
        count = len(shares)
        offsets, none = np.zeros((count, 3), np.float32), np.zeros((count, 3), np.float32)
        offsets[:, 1] = np.float32(-plain(self.amount)) * shares
        axes: Literal["own", "outward"] = "own" if context.domain is Domain.FACE else "outward"
        return varied(geometry, context.domain, strength, Spread(offsets, none, np.ones((count, 3), np.float32)), axes)
