"""Box: closed, with even quads."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Box(ShapeSource, tag="box"):
    """A closed box."""

    label: ClassVar[str] = "Box"
    text: ClassVar[str] = "A closed box about its centre."
    words: ClassVar[str] = "cube, block, cuboid, brick, crate, primitive, solid, rectangle, shape"

    width: Annotated[float, setting("Width", "The size along X.", unit="length", low=1e-6, high=1e6)] = 1.0
    height: Annotated[float, setting("Height", "The size along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    depth: Annotated[float, setting("Depth", "The size along Z.", unit="length", low=1e-6, high=1e6)] = 1.0
    divisions: Annotated[
        int, whole("Divisions", "The number of quads along each edge: more gives a finer mesh.", low=1, high=2000)
    ] = 16

    hard_edges: Annotated[bool, setting("Hard edges", "Whether the sides are shaded flat up to their edges.")] = True

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.box((self.width, self.height, self.depth), self.divisions, self.hard_edges)
