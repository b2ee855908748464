"""Grid: a flat sheet."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Grid(ShapeSource, tag="grid"):
    """A flat sheet facing up."""

    label: ClassVar[str] = "Grid"
    text: ClassVar[str] = "A flat sheet of quads that faces up."
    words: ClassVar[str] = "plane, sheet, ground, floor, quad, flat, surface, patch, cloth sheet, terrain"

    width: Annotated[float, setting("Width", "The size along X.", unit="length", low=1e-6, high=1e6)] = 2.0
    depth: Annotated[float, setting("Depth", "The size along Z.", unit="length", low=1e-6, high=1e6)] = 2.0
    columns: Annotated[int, whole("Columns", "The number of quads along X.", low=1, high=2000)] = 48
    rows: Annotated[int, whole("Rows", "The number of quads along Z.", low=1, high=2000)] = 48

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        return primitives.grid(self.width, self.depth, self.columns, self.rows)
