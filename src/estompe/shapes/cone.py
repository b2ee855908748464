"""Cone: closed, pointed or cut off, with bevelled edges."""

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
class Cone(ShapeSource, tag="cone"):
    """A closed cone standing on its origin."""

    label: ClassVar[str] = "Cone"
    text: ClassVar[str] = "A closed cone about Y, pointed or cut off."
    words: ClassVar[str] = "pyramid, funnel, spike, frustum, taper, pointed, primitive, solid, horn"

    radius: Annotated[float, setting("Radius", "The radius at the bottom.", unit="length", low=1e-6, high=1e6)] = 0.4
    tip: Annotated[
        float, setting("Tip radius", "The radius at the top: 0 gives a point.", unit="length", low=0.0, high=1e6)
    ] = 0.0
    height: Annotated[float, setting("Height", "The size along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    bevel: Bevel = 0.02
    around: Around = 48
    along: Along = 48

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        low, high = self.radius, self.height
        profile = np.array([[0.0, 0.0], [low, 0.0], [self.tip, high], [0.0, high]][: 4 if self.tip > 1e-9 else 3])
        return primitives.turned(profile, self.bevel, self.around, self.along)
