"""A random number per element that stays with it."""

from typing import Annotated, ClassVar

from estompe.document.context import Context
from estompe.document.kinds import Source
from estompe.document.registry import register
from estompe.document.settings import whole
from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.kernels.types import Floats


@register
class Random(Source, tag="random"):
    """An even random number 0..1 for each point, fixed by a seed and the point's number."""

    group: ClassVar[str] = "pattern"
    label: ClassVar[str] = "Random"
    text: ClassVar[str] = "A random number for each point, 0 to 1; it does not change when things move."

    seed: Annotated[int, whole("Seed", "Another number, other values.", low=0, high=2**31 - 1)] = 1

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        return random_of(elements.ids, self.seed)
