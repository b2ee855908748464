"""Torus: a closed ring."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives
from estompe.shapes.turning import Around


@register
class Torus(ShapeSource, tag="torus"):
    """A closed ring about Y."""

    label: ClassVar[str] = "Torus"
    text: ClassVar[str] = "A closed ring about Y, such as a lifebuoy."
    words: ClassVar[str] = "ring, donut, doughnut, hoop, lifebuoy, tyre, tire, primitive, solid, orbit"

    radius: Annotated[
        float,
        setting("Radius", "The radius from the axis to the middle of the tube.", unit="length", low=1e-6, high=1e6),
    ] = 0.4
    thickness: Annotated[
        float,
        setting("Thickness", "The radius of the tube: more makes the ring thicker.", unit="length", low=1e-6, high=1e6),
    ] = 0.12
    around: Around = 48
    along: Annotated[int, whole("Along", "The number of quads about the tube.", low=3, high=4000)] = 24

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.torus(self.radius, self.thickness, self.around, self.along)
