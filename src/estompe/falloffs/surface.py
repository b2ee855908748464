"""Distance to the surface of another shape."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import Geometry
from estompe.geometry.elements import Elements
from estompe.kernels.sides import signs
from estompe.kernels.surface import Nearest, nearest_on_surface
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Surface(Source, tag="surface"):
    """How far each point lies from a shape's surface, in scene units; negative inside a closed one if signed."""

    group: ClassVar[str] = "distance"
    label: ClassVar[str] = "Distance to a surface"
    text: ClassVar[str] = "How far each point lies from the surface of another shape, as that is after its effects."
    words: ClassVar[str] = (
        "mesh distance, proximity, contact, collision, near shape, collide, object distance, closest point, "
        "signed distance, gap, touch, sdf, intersection, overlap, shrink wrap"
    )

    shape: Annotated[Identifier, setting("Shape", "The shape to whose surface distances are measured.", refers="shape")]
    signed: Annotated[bool, setting("Signed", "Whether distances are negative inside; the shape must be closed.")] = (
        False
    )
    maximum: Annotated[
        Number,
        setting(
            "Maximum",
            "The largest distance that is computed: less is faster, 0 has no limit.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 0.0

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        return to_surface(elements.positions, context.shape(self.shape), self.signed, plain(self.maximum) or np.inf)


def to_surface(points: Floats, mesh: Geometry, signed: bool, most: float = np.inf) -> Floats:
    """Distance to a mesh, negative inside if signed, float32 (n,). Raises CannotEvaluateError without faces or with holes.

    most: scene units beyond which nothing is looked for, but inside a mesh if signed; the distance is then that.
    """
    if not mesh.topology.faces:
        raise CannotEvaluateError("the shape has no surface: choose another")
    # A point inside lies in the box around the mesh: there the nearest face must be known, for it tells the side.
    found = nearest_on_surface(points, mesh.tree, most, np.inf if signed else most)
    return to_nearest(points, mesh, found, signed)


def to_nearest(points: Floats, mesh: Geometry, found: Nearest, signed: bool) -> Floats:
    """The same, with the nearest places already found."""
    if not signed:
        return found.distance
    if not mesh.topology.closed:
        edges = len(mesh.topology.open_edges)
        raise CannotEvaluateError(
            f"the shape is not closed ({edges} open edges), so it has no inside: close it or choose another"
        )
    topology = mesh.topology
    return found.distance * signs(
        points, mesh.points, topology.triangles, topology.triangle_edges, mesh.outwards, found
    )
