"""PLY: one state of a mesh as binary, with normals, point colours where there are, and strengths as properties of the points."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import strength_name
from estompe.baking.frames import strengths as strengths_of
from estompe.document.scene import Shape
from estompe.evaluation.frame import Frame
from estompe.exchange.formats import SequenceWriter, register_sequence_writer
from estompe.geometry import Domain, Geometry
from estompe.geometry.colors import display_of
from estompe.kernels.types import Floats

_LARGEST_BYTE = 255


def write(frame: Frame, shape: Shape, path: Path) -> None:
    """One shape of a frame as PLY; each falloff that drives it becomes a property of its own. Raises OSError."""
    named: dict[str, Floats] = {}
    for falloff, values in strengths_of(frame, shape):
        named[strength_name(falloff.name, named)] = values
    write_mesh(frame[shape.id], named, path)


def write_mesh(geometry: Geometry, strengths: dict[str, Floats], path: Path) -> None:
    """One mesh as PLY, with strengths, float32 (points,), as properties by name. Raises OSError."""
    columns: dict[str, NDArray[Any]] = {}
    columns.update(zip("xyz", geometry.points.T, strict=True))
    columns.update(zip(("nx", "ny", "nz"), geometry.normals.T, strict=True))
    color = geometry.attribute(Domain.POINT, "color")
    if color is not None:
        whole = np.clip(np.rint(display_of(color[:, :3]) * 255), 0, 255).astype(np.uint8)
        columns.update(zip(("red", "green", "blue"), whole.T, strict=True))
    columns.update(strengths)
    vertex = np.empty(len(geometry.points), [(name, values.dtype) for name, values in columns.items()])
    for name, values in columns.items():
        vertex[name] = values
    with path.open("wb") as stream:
        stream.write(_header(columns, geometry).encode("ascii"))
        stream.write(vertex.tobytes())
        stream.write(_faces(geometry))


def _header(columns: dict[str, NDArray[Any]], geometry: Geometry) -> str:
    kinds = {"f": "float", "u": "uchar"}
    lines = ["ply", "format binary_little_endian 1.0", f"element vertex {len(geometry.points)}"]
    lines += [f"property {kinds[values.dtype.kind]} {name}" for name, values in columns.items()]
    count = "uchar" if _are_small(geometry) else "int"
    lines += [f"element face {geometry.topology.faces}", f"property list {count} int vertex_indices", "end_header"]
    return "\n".join(lines) + "\n"


def _are_small(geometry: Geometry) -> bool:
    """Whether a byte can hold the number of corners of every face; that is what most readers expect."""
    return int(np.diff(geometry.topology.offsets).max(initial=0)) <= _LARGEST_BYTE


def _faces(geometry: Geometry) -> bytes:
    """Each face's number of corners, as a byte where that can hold it, before its corners as int32."""
    corners, offsets = geometry.topology.corners, geometry.topology.offsets
    sizes = np.diff(offsets)
    width = 1 if _are_small(geometry) else 4
    out = np.empty(4 * len(corners) + width * len(sizes), np.uint8)
    starts = 4 * offsets[:-1].astype(np.int64) + width * np.arange(len(sizes))
    is_corner = np.ones(len(out), np.bool_)
    for byte in range(width):
        out[starts + byte] = (sizes >> (8 * byte)) & _LARGEST_BYTE
        is_corner[starts + byte] = False
    out[is_corner] = corners.astype("<i4").view(np.uint8)
    return out.tobytes()


register_sequence_writer(SequenceWriter("ply", "PLY sequence", ".ply", write))
