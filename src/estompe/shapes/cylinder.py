"""Cylinder: closed, with bevelled edges."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes import primitives
from estompe.shapes.turning import Along, Around, Bevel


@register
class Cylinder(ShapeSource, tag="cylinder"):
    """A closed cylinder standing on its origin."""

    label: ClassVar[str] = "Cylinder"
    text: ClassVar[str] = "A closed cylinder about Y."
    words: ClassVar[str] = "pillar, column, drum, barrel, can, rod, coin, primitive, solid, pipe"

    radius: Annotated[float, setting("Radius", "The radius from the axis.", unit="length", low=1e-6, high=1e6)] = 0.4
    height: Annotated[float, setting("Height", "The size along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    bevel: Bevel = 0.02
    around: Around = 48
    along: Along = 48

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        low, high = self.radius, self.height
        profile = np.array([[0.0, 0.0], [low, 0.0], [low, high], [0.0, high]])
        return primitives.turned(profile, self.bevel, self.around, self.along)
