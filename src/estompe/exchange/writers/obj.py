"""OBJ: one state of a mesh, with normals and, where there are, UVs and point colours."""

import itertools
from pathlib import Path

import numpy as np

from estompe.document.names import clean_name
from estompe.document.scene import Shape
from estompe.evaluation.frame import Frame
from estompe.exchange.formats import SequenceWriter, register_sequence_writer
from estompe.exchange.text import rows
from estompe.geometry import Domain, Geometry
from estompe.geometry.colors import display_of
from estompe.kernels.types import Floats


def write(frame: Frame, shape: Shape, path: Path) -> None:
    """One shape of a frame as OBJ. Raises OSError."""
    write_mesh(frame[shape.id], shape.name, path)


def write_mesh(geometry: Geometry, name: str, path: Path) -> None:
    """One mesh as OBJ under a name. Raises OSError."""
    color = geometry.attribute(Domain.POINT, "color")
    uv = geometry.attribute(Domain.CORNER, "uv")
    columns = [geometry.points] if color is None else [geometry.points, display_of(color[:, :3])]
    with path.open("w", encoding="utf-8") as stream:
        stream.write(f"o {clean_name(name)}\n")
        stream.writelines(rows("v", np.concatenate(columns, axis=1)))
        stream.writelines(rows("vn", geometry.shaded_normals))
        if uv is not None:
            stream.writelines(rows("vt", uv))
        stream.writelines(_face_lines(geometry, uv))


def _face_lines(geometry: Geometry, uv: Floats | None) -> list[str]:
    topology, shading = geometry.topology, geometry.shading
    points = (topology.corners + 1).tolist()
    normals = points if shading is None else (shading.topology.corners + 1).tolist()
    if uv is None:
        words = [f"{point}//{normal}" for point, normal in zip(points, normals, strict=True)]
    else:
        words = [
            f"{point}/{place}/{normal}"
            for place, (point, normal) in enumerate(zip(points, normals, strict=True), start=1)
        ]
    bounds = topology.offsets.tolist()
    return [f"f {' '.join(words[a:b])}\n" for a, b in itertools.pairwise(bounds)]


register_sequence_writer(SequenceWriter("obj", "OBJ sequence", ".obj", write))
