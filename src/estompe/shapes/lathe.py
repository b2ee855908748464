"""Lathe: a drawn line revolved about Y."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Lathe(ShapeSource, tag="lathe"):
    """A drawn profile revolved about Y. profile: radius and height from the bottom up."""

    label: ClassVar[str] = "Lathe"
    text: ClassVar[str] = "A profile revolved about Y, such as a vase; its points can be edited."
    words: ClassVar[str] = "revolve, turned, profile, vase, spin, rotate profile, pot, bottle, revolution, turn"

    profile: Annotated[
        tuple[tuple[float, float], ...],
        setting("Profile", "The radius and height of each point, from the bottom up.", unit="length", editor="outline"),
        Meta(min_length=2, max_length=1000),
    ] = ((0.0, 0.0), (0.35, 0.05), (0.45, 0.5), (0.2, 0.9), (0.25, 1.0))
    around: Annotated[int, whole("Around", "The number of quads about the axis.", low=3, high=4000)] = 96
    along: Annotated[int, whole("Along", "The number of quads along the profile.", low=1, high=4000)] = 96

    def check(self) -> None:
        if any(radius < 0 for radius, _ in self.profile):
            raise ValueError("a profile's radius is negative")

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.lathe(np.array(self.profile), self.around, self.along)
