"""A random number per element that stays with it."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, Source, register
from estompe.document.settings import setting
from estompe.geometry.elements import random_of
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Random(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="random", tag_field="kind"):
    """An even random number 0..1 for each point, fixed by a seed and the point's number."""

    label: ClassVar[str] = "Random"
    text: ClassVar[str] = "A random number for each point, 0 to 1; it does not change when things move."

    seed: Annotated[
        int, setting("Seed", "Another number, other values.", low=0, high=2**31 - 1), Meta(ge=0, le=2**31 - 1)
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def measure(self, samples: Samples, at: At) -> Floats:
        del at
        return random_of(np.arange(len(samples)), self.seed)
