"""Octahedron: eight triangles, closed."""

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
class Octahedron(ShapeSource, tag="octahedron"):
    """A closed octahedron about its centre."""

    label: ClassVar[str] = "Octahedron"
    text: ClassVar[str] = "A closed body of eight triangles about its centre."
    words: ClassVar[str] = "diamond, crystal, gem, platonic, polyhedron, jewel, faceted, primitive, solid"

    radius: Annotated[
        float, setting("Radius", "The distance of its corners from the centre.", unit="length", low=1e-6, high=1e6)
    ] = 0.5
    divisions: Annotated[
        int, whole("Divisions", "The number of quads along half an edge: more gives a finer mesh.", low=1, high=1000)
    ] = 8

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        r = self.radius
        corners = np.array([(r, 0, 0), (-r, 0, 0), (0, r, 0), (0, -r, 0), (0, 0, r), (0, 0, -r)])
        faces = tuple((x, y, z) if (x + y + z) % 2 == 0 else (x, z, y) for x in (0, 1) for y in (2, 3) for z in (4, 5))
        return primitives.polyhedron(corners, faces, self.divisions)
