"""Shell: a second surface beside the first, as a thickness or as an outline in ink."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Color
from estompe.geometry import Domain, Geometry, Topology, frozen
from estompe.geometry.faces import laid_together
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

ONE_SIDED = (Domain.POINT, "one_sided")
_INK: Color = (0.00598, 0.0049, 0.0049)


@register
class Shell(Effect, tag="shell"):
    """A copy of the surface moved along its normals by the thickness times the strength, turned inside out."""

    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    group: ClassVar[str] = "grow"
    label: ClassVar[str] = "Shell"
    text: ClassVar[str] = (
        "Gives the surface a thickness, or an ink outline that keeps its weight as the camera comes closer."
    )
    words: ClassVar[str] = (
        "outline, ink, toon, thickness, solidify, contour, two sided, backface, extrude surface, rim, hull"
    )

    thickness: Annotated[
        Number, setting("Thickness", "The thickness at full strength.", unit="length", low=0.0, high=1e5, step=0.002)
    ] = 0.02
    mode: Annotated[
        Literal["thickness", "outline"],
        setting("Mode", "Whether a second surface is added inside, or an ink outline outside."),
    ] = "thickness"
    keeps_weight: Annotated[
        bool,
        setting("Constant width", "Whether the outline is equally wide in the picture at any distance of the camera."),
    ] = False

    def gives_colors(self) -> bool:
        return self.mode == "outline"

    def reads(self) -> tuple[str, ...]:
        read = ("color",) if self.mode == "outline" else ()
        return (*read, "camera") if self.keeps_weight else read

    def is_identity(self) -> bool:
        return plain(self.thickness) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        thickness = plain(self.thickness)
        if not strength.any() or not geometry.topology.faces:
            return geometry
        outline = self.mode == "outline"
        amounts = strength
        if self.keeps_weight:
            away = np.linalg.norm(geometry.points - context.camera().position.astype(np.float32), axis=1)
            # At ten units from the camera the thickness is as it says.
            amounts = (strength * away * np.float32(0.1)).astype(np.float32)
        moved = displace_along(geometry.points, geometry.normals, amounts, thickness if outline else -thickness)
        layer = turned_inside_out(geometry.moved(moved))
        if outline:
            present = geometry.attribute(Domain.POINT, "color")
            own = np.array(context.shape_color, np.float32) if present is None else present[:, :3]
            return laid_together(colored(geometry, own, 0.0), colored(layer, np.array(_INK, np.float32), 1.0))
        return laid_together(geometry, layer)


def turned_inside_out(mesh: Geometry) -> Geometry:
    """The mesh inside out: each face's corners the other way round."""
    turned, order = mesh.topology.derived("inside out", lambda: _inside_out(mesh.topology))
    attributes = {
        key: frozen(np.take(values, order, axis=0)) if key[0] is Domain.CORNER else values
        for key, values in mesh.attributes.items()
    }
    return Geometry(mesh.points, turned, attributes, mesh.at_rest, axes=mesh.piece_axes)


def _inside_out(topology: Topology) -> tuple[Topology, NDArray[np.integer]]:
    """Each face's corners the other way round, and which corner stands at each place."""
    sizes = np.diff(topology.offsets)
    ends = np.repeat(topology.offsets[1:] + topology.offsets[:-1] - 1, sizes)
    order = ends - np.arange(len(topology.corners))
    return Topology(
        frozen(topology.corners[order]),
        topology.offsets,
        topology.points,
        topology.parted,
        numbering=topology.numbering,
    ), order


def colored(mesh: Geometry, color: Floats, one_sided: float) -> Geometry:
    count = len(mesh.points)
    made = mesh.with_attribute(Domain.POINT, "color", np.broadcast_to(color, (count, 3)))
    return made.with_attribute(*ONE_SIDED, np.full(count, one_sided, np.float32))
