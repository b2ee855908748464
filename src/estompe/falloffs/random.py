"""A random number per element that stays with it."""

from typing import Annotated, ClassVar

from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import whole


@register
class Random(Source, tag="random"):
    """An even random number 0..1 for each point, fixed by a seed and the point's number."""

    group: ClassVar[str] = "pattern"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Random"
    text: ClassVar[str] = "A random number for each point, 0 to 1; it does not change when things move."
    words: ClassVar[str] = "jitter, variation, scatter values, chance, seed, per element, dice, offset, id, stagger"

    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other values.", low=0, high=2**31 - 1)
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        return random_of(elements.ids, self.seed)
