"""Which writer a shape takes, which shapes take none, and about how much a frame of one adds."""

from collections.abc import Mapping

from estompe.document.scene import Scene, Shape
from estompe.exchange.potential import potential_of
from estompe.exchange.usd.copies import CopiesWriter
from estompe.exchange.usd.curves import CurvesWriter
from estompe.exchange.usd.mesh import MeshWriter
from estompe.geometry import Geometry
from estompe.geometry.copies import Copies

ShapeWriter = MeshWriter | CopiesWriter | CurvesWriter


def writer_for(shape: Shape, geometry: Geometry) -> type[ShapeWriter]:
    """What writes a shape on every frame, by what it can be on any of them. geometry: what it is on the first."""
    if potential_of(shape).stays_copies:
        return CopiesWriter
    return CurvesWriter if geometry.topology.lines is not None else MeshWriter


def hidden_forms(scene: Scene) -> set[str]:
    """Shapes that are seen as copies only: they are prototypes there, and no meshes of their own."""
    copied = {name for shape in scene.shapes if shape.source.makes_pieces
              for name in (getattr(shape.source, "form", ""), *getattr(shape.source, "more", ()))}  # fmt: skip
    return {shape.id for shape in scene.shapes if shape.id in copied and not shape.visible}


def size_of(geometry: Geometry) -> int:
    """About how many bytes a frame of a shape adds."""
    return 64 * len(geometry.positions) if isinstance(geometry, Copies) else 2 * geometry.points.nbytes


def finish(writers: Mapping[str, object]) -> None:
    """Write what waited for the frame after it."""
    for writer in writers.values():
        if isinstance(writer, CopiesWriter):
            writer.finish()
