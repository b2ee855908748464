"""Merge: several closed parts become one closed surface without inner walls."""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.effects.round import on_band
from estompe.effects.voxels import ClosedVolumeEffect, colored, solid_words
from estompe.geometry import Domain, Geometry, GeometryError
from estompe.geometry.faces import laid_together
from estompe.geometry.topology import connected_parts
from estompe.geometry.volumes.joining import Part, together
from estompe.geometry.volumes.solid import BAND, Solid, solid_of, surface_of
from estompe.geometry.volumes.volume import volume
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.band import redistanced, turned
from estompe.kernels.volumes.bricks import Bricks, Lattice
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

Weight = Callable[[Lattice, Indices], Floats] | None
_MOST_PARTS = 400
_BODIES = (Domain.WHOLE, "bodies")


@register
class Merge(ClosedVolumeEffect, tag="merge"):
    """The shape's own closed parts and those of other shapes are joined as volumes. Strength says how soft the joint is."""

    recolors: ClassVar[bool | None] = True
    label: ClassVar[str] = "Merge"
    text: ClassVar[str] = "Makes overlapping closed parts one surface without inner walls, with soft joints if wanted."
    words: ClassVar[str] = (
        "boolean, union, combine, join, subtract, intersection, weld, difference, intersect, metaball, "
        "remesh, voxel, fuse, sdf, marching cubes, blob"
    )

    shapes: Annotated[
        tuple[Identifier, ...],
        setting(
            "Shapes",
            "The closed shapes that are merged in; hide them in Cast.",
            refers="shape",
            editor="several",
        ),
    ] = ()
    way: Annotated[
        Literal["add", "take away", "common"],
        setting(
            "Operation", "How shapes combine: all together, this one without the others, or what all have in common."
        ),
    ] = "add"
    joint: Annotated[
        Number,
        setting(
            "Fillet",
            "The radius of the fillet where surfaces meet: more joins more softly, 0 stays sharp.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.005,
        ),
    ] = 0.0

    @classmethod
    def summary(cls, after: Geometry) -> str:
        bodies, words = after.attribute(*_BODIES), solid_words(after)
        return words if bodies is None or bodies[0] < 2.0 else f"{bodies[0]:.0f} bodies that do not touch; {words}"

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        bodies = self._bodies(geometry, context)
        begun = colored(bodies[0][0], context.shape_color)
        for (body, _), name in zip(bodies[1:], self.shapes, strict=True):
            begun = laid_together(begun, colored(body, context.color_of(name)))
        rest = begun.at_rest.placed_at(begun.points)
        begun = Geometry(begun.points, begun.topology, begun.attributes, rest, begun.notes)
        bricks = self._joined(geometry, context, 0.0, None)
        if not (bricks.values < 0.0).any():
            what = {"take away": "the others take all of it away", "common": "the parts have nothing in common"}
            raise CannotEvaluateError(f"{what.get(self.way, 'the parts enclose nothing')}: move them")
        return surface_of(Solid(bricks, self.frame_of(context), begun))

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        sharp: Geometry = context.places
        if not plain(self.joint):
            return _counted(sharp)
        solid: Solid = sharp.solid

        def weight(lattice: Lattice, where: Indices) -> Floats:
            near = Bricks(lattice, solid.bricks.table, where, np.zeros((len(where), 512), np.float32), BAND)
            return on_band(sharp, strength, near)

        everywhere = bool(np.all(strength == 1.0))
        bricks = self._joined(geometry, context, plain(self.joint), None if everywhere else weight)
        return _counted(surface_of(solid.with_bricks(redistanced(bricks, context.go_on))))

    def _bodies(self, geometry: Geometry, context: Context) -> list[tuple[Geometry, str]]:
        """The meshes that are joined, each with its name for messages."""
        found = [(geometry, "the shape")]
        for number, name in enumerate(self.shapes):
            body = context.shape(name)
            if not body.topology.faces:
                raise CannotEvaluateError(
                    f"the shape that is number {number + 1} of “With” has no surface: choose another"
                )
            found.append((body, f"shape number {number + 1} of “With”"))
        return [(self.body_of(body), name) for body, name in found]

    def _joined(self, geometry: Geometry, context: Context, joint: float, weight: Weight) -> Bricks:
        size, frame = self.size_of(geometry, context), self.frame_of(context)
        add, take_away = self.way == "add", self.way == "take away"
        parts = []
        for number, (body, name) in enumerate(self._bodies(geometry, context)):
            context.go_on()
            # What is taken away is added to the outside of the first; what is common is all but the outsides.
            sign = 1.0 if add or (take_away and number) else -1.0
            meshes = parts_of(body) if joint and sign > 0.0 else [body]
            try:
                parts += [Part(solid_of(mesh, frame, size).bricks, mesh, sign) for mesh in meshes]
            except GeometryError as error:
                raise CannotEvaluateError(str(error).replace("the mesh", name)) from None
        made = together(parts, frame, joint, weight)
        return made if add else turned(made)


def _counted(mesh: Geometry) -> Geometry:
    """The mesh with how many bodies it is, for the card."""
    bodies = int(connected_parts(mesh.topology).max()) + 1 if len(mesh.points) else 0
    return mesh.with_attribute(*_BODIES, np.array([float(bodies)]))


def parts_of(body: Geometry) -> list[Geometry]:
    """The connected parts of a mesh, each as a mesh of its own; the whole where one is inside out, and so a cavity of another."""
    if body.solid is not None:
        return [body]
    found: _Meshes = body.derived("closed parts", lambda: _Meshes(body))
    return found.meshes


class _Meshes:
    """Meshes that are kept with the mesh they are parts of."""

    def __init__(self, body: Geometry) -> None:
        triangles = body.topology.triangles
        of = body.topology.derived("connected parts", lambda: connected_parts(body.topology))
        owner = of[triangles[:, 0]]
        parts = [triangles[owner == number] for number in np.unique(owner)]
        whole = not 1 < len(parts) <= _MOST_PARTS or any(volume(body.points, part) < 0.0 for part in parts)
        self.meshes = [body] if whole else [_alone(body, part) for part in parts]

    def arrays(self) -> Iterator[NDArray[Any]]:
        """The arrays of all parts that are not the whole."""
        for mesh in self.meshes if len(self.meshes) > 1 else ():
            yield mesh.points
            yield mesh.topology.corners


def _alone(body: Geometry, triangles: Indices) -> Geometry:
    """Some triangles of a mesh with the points they use."""
    used, numbers = np.unique(triangles.reshape(-1), return_inverse=True)
    starts = np.arange(0, 3 * len(triangles) + 1, 3, dtype=np.int32)
    return Geometry.from_faces(body.points[used], numbers.reshape(-1).astype(np.int32), starts)
