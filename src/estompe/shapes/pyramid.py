"""Pyramid: closed, with a square base."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes import primitives


@register
class Pyramid(ShapeSource, tag="pyramid"):
    """A closed pyramid standing on its origin."""

    label: ClassVar[str] = "Pyramid"
    text: ClassVar[str] = "A closed pyramid with a square base."
    words: ClassVar[str] = "cone, tent, roof, tetrahedron, pointed, primitive, solid, polyhedron, spike"

    width: Annotated[float, setting("Width", "The size along X and Z.", unit="length", low=1e-6, high=1e6)] = 1.0
    height: Annotated[float, setting("Height", "The size along Y.", unit="length", low=1e-6, high=1e6)] = 0.8
    divisions: Annotated[
        int, whole("Divisions", "The number of quads along half an edge: more gives a finer mesh.", low=1, high=1000)
    ] = 8

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        half = self.width / 2
        corners = np.array(
            [(-half, 0, half), (half, 0, half), (half, 0, -half), (-half, 0, -half), (0, self.height, 0)]
        )
        faces = (3, 2, 1, 0), (0, 1, 4), (1, 2, 4), (2, 3, 4), (3, 0, 4)
        return primitives.polyhedron(corners, faces, self.divisions)
