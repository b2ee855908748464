"""OBJ: one state of a mesh, with normals and, where there are, UVs and point colours."""

import itertools
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.document.scene import Shape
from estompe.evaluate.frame import Frame
from estompe.exchange.formats import SequenceWriter, register_sequence_writer
from estompe.exchange.text import rows
from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats


def write(frame: Frame, shape: Shape, path: Path) -> None:
    """One shape of a frame as OBJ. Raises OSError."""
    write_mesh(frame[shape.id], shape.name, path)


def write_mesh(geometry: Geometry, name: str, path: Path) -> None:
    """One mesh as OBJ under a name. Raises OSError."""
    topology = geometry.topology
    color = geometry.attribute(Domain.POINT, "color")
    uv = geometry.attribute(Domain.CORNER, "uv")
    columns = [geometry.points] if color is None else [geometry.points, color[:, :3]]
    with path.open("w", encoding="utf-8") as stream:
        stream.write(f"o {clean_name(name)}\n")
        stream.writelines(rows("v", np.concatenate(columns, axis=1)))
        stream.writelines(rows("vn", geometry.normals))
        if uv is not None:
            stream.writelines(rows("vt", uv))
        stream.writelines(_face_lines(topology.corners, topology.offsets, uv))


def _face_lines(corners: NDArray[np.int32], offsets: NDArray[np.int32], uv: Floats | None) -> list[str]:
    numbers = (corners + 1).tolist()
    if uv is None:
        words = [f"{point}//{point}" for point in numbers]
    else:
        words = [f"{point}/{place}/{point}" for place, point in enumerate(numbers, start=1)]
    bounds = offsets.tolist()
    return [f"f {' '.join(words[a:b])}\n" for a, b in itertools.pairwise(bounds)]


register_sequence_writer(SequenceWriter("obj", "OBJ sequence", ".obj", write))
