"""Disc: a round sheet of even quads."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Disc(ShapeSource, tag="disc"):
    """A flat round sheet."""

    label: ClassVar[str] = "Disc"
    text: ClassVar[str] = "A flat round sheet of even quads that faces up."
    words: ClassVar[str] = "circle, plate, coin, round plane, disk, lid, cap, primitive, flat, lily pad"

    radius: Annotated[float, setting("Radius", "The radius from the centre.", unit="length", low=1e-6, high=1e6)] = 0.5
    divisions: Annotated[
        int, whole("Divisions", "The number of quads across: more gives a finer mesh.", low=1, high=2000)
    ] = 32

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.disc(self.radius, self.divisions)
