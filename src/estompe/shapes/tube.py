"""Tube: open at both ends."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.document.kinds import ShapeSource
from estompe.document.registry import register
from estompe.document.settings import setting, whole
from estompe.geometry import Geometry, primitives


@register
class Tube(ShapeSource, tag="tube"):
    """An open tube standing on its origin."""

    label: ClassVar[str] = "Tube"
    text: ClassVar[str] = "A tube about Y, open at both ends."

    radius: Annotated[float, setting("Radius", "From its axis.", unit="length", low=1e-6, high=1e6)] = 0.3
    height: Annotated[float, setting("Height", "Along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    around: Annotated[int, whole("Around", "Quads about the axis.", low=3, high=4000)] = 48
    along: Annotated[int, whole("Along", "Quads along the axis.", low=1, high=4000)] = 32

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.tube(self.radius, self.height, self.around, self.along)
