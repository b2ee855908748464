"""Tube: open at both ends."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Tube(ShapeSource, tag="tube"):
    """An open tube standing on its origin."""

    label: ClassVar[str] = "Tube"
    text: ClassVar[str] = "A tube about Y, open at both ends."
    words: ClassVar[str] = "cylinder, pipe, hose, open cylinder, hollow, primitive, ring, sleeve, column"

    radius: Annotated[float, setting("Radius", "The radius from the axis.", unit="length", low=1e-6, high=1e6)] = 0.3
    height: Annotated[float, setting("Height", "The size along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    around: Annotated[int, whole("Around", "The number of quads about the axis.", low=3, high=4000)] = 48
    along: Annotated[int, whole("Along", "The number of quads along the axis.", low=1, high=4000)] = 32

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.tube(self.radius, self.height, self.around, self.along)
