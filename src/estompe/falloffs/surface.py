"""Distance to the surface of another shape."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.geometry.samples import Samples
from estompe.kernels.surface import Nearest, nearest_on_surface, signs
from estompe.kernels.types import Floats


@register
class Surface(Struct, Source, frozen=True, forbid_unknown_fields=True, tag="surface", tag_field="kind"):
    """How far each point lies from a shape's surface, in scene units; negative inside a closed one if signed."""

    label: ClassVar[str] = "Distance to a surface"
    text: ClassVar[str] = "How far each point lies from the surface of another shape, as that is after its effects."

    shape: Annotated[Identifier, setting("Shape", "The shape whose surface counts.", refers="shape")]
    signed: Annotated[bool, setting("Signed", "Negative inside; the shape must be closed.")] = False

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        return to_surface(samples.points, at.shape(self.shape), self.signed)


def to_surface(points: Floats, mesh: Geometry, signed: bool) -> Floats:
    """Distance to a mesh, negative inside if signed, float32 (n,). Raises MissingError for one without faces or with holes."""
    if not mesh.topology.faces:
        raise MissingError("the shape has no surface: choose another")
    return to_nearest(points, mesh, nearest_on_surface(points, mesh.tree), signed)


def to_nearest(points: Floats, mesh: Geometry, found: Nearest, signed: bool) -> Floats:
    """The same, with the nearest places already found."""
    if not signed:
        return found.distance
    if not mesh.topology.closed:
        edges = len(mesh.topology.open_edges)
        raise MissingError(
            f"the shape is not closed ({edges} open edges), so it has no inside: close it or choose another"
        )
    return found.distance * signs(points, mesh.points, mesh.topology.triangles, mesh.outwards, found)
