"""Sphere: even quads."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Sphere(ShapeSource, tag="sphere"):
    """A sphere of even quads."""

    label: ClassVar[str] = "Sphere"
    text: ClassVar[str] = "A closed sphere of quads of nearly one size."
    words: ClassVar[str] = "ball, globe, round, orb, planet, primitive, quad sphere, bubble, pearl"

    radius: Annotated[float, setting("Radius", "The radius from the centre.", unit="length", low=1e-6, high=1e6)] = 0.5
    divisions: Annotated[
        int,
        whole(
            "Divisions",
            "The number of quads along an edge of the underlying cube: more gives a finer mesh.",
            low=1,
            high=2000,
        ),
    ] = 24

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.sphere(self.radius, self.divisions)
