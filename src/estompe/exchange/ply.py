"""PLY: polygons, colours and UVs in; one state of a mesh with its strengths out."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from plyfile import PlyData, PlyElement, PlyListProperty, PlyParseError

from estompe.exchange.errors import ExchangeError, Tell
from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats

_UV_NAMES = (("u", "v"), ("s", "t"), ("texture_u", "texture_v"))


def read(path: Path, tell: Tell) -> Geometry:
    """The mesh in a PLY file, text or binary. Raises ExchangeError."""
    tell(0.0, "reading")
    try:
        data = _even_faces(path) or PlyData.read(str(path))
        vertex, face = data["vertex"], data["face"]
        lists = next(item.name for item in face.properties if isinstance(item, PlyListProperty))
        points = np.stack([vertex[axis] for axis in "xyz"], axis=1).astype(np.float32)
        tell(0.7, f"reading {len(face.data):,} faces")
        corners, offsets = _polygons(face.data[lists])
    except (PlyParseError, UnicodeDecodeError) as error:
        raise ExchangeError(f"damaged or not a PLY file ({error})") from None
    except (KeyError, StopIteration, ValueError, IndexError, TypeError, OverflowError) as error:
        raise ExchangeError(f"it lacks points or faces ({error})") from None
    tell(0.9, "checking the mesh")
    return Geometry.from_faces(points, corners, offsets, _attributes(vertex.data))


def _even_faces(path: Path) -> Any:
    """The file read as faces of one size, mapped rather than parsed; None where its faces differ or it is text."""
    with path.open("rb") as stream:
        header = stream.read(4096)
    if b"format ascii" in header or b"element face" not in header:
        return None
    for size in (3, 4):
        for name in ("vertex_indices", "vertex_index"):
            try:
                return PlyData.read(str(path), known_list_len={"face": {name: size}})
            except (PlyParseError, ValueError, KeyError):
                continue
    return None


def _polygons(lists: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    if not len(lists):
        raise ExchangeError("it has no faces")
    if lists.dtype != object:
        return lists.reshape(-1).astype(np.int64), np.arange(0, lists.size + 1, lists.shape[1])
    sizes = np.fromiter(map(len, lists), np.int64, len(lists))
    return np.concatenate(lists).astype(np.int64), np.concatenate([[0], np.cumsum(sizes)])


def _attributes(vertex: NDArray[Any]) -> dict[tuple[Domain, str], NDArray[Any]]:
    names = set(vertex.dtype.names or ())
    found: dict[tuple[Domain, str], NDArray[Any]] = {}
    if {"red", "green", "blue"} <= names:
        color = np.stack([vertex[name] for name in ("red", "green", "blue")], axis=1)
        scale = 255.0 if color.dtype.kind in "ui" else 1.0
        found[Domain.POINT, "color"] = (color / scale).astype(np.float32)
    for u, v in _UV_NAMES:
        if {u, v} <= names:
            found[Domain.POINT, "uv"] = np.stack([vertex[u], vertex[v]], axis=1).astype(np.float32)
            break
    known = {
        "x",
        "y",
        "z",
        "nx",
        "ny",
        "nz",
        "red",
        "green",
        "blue",
        "alpha",
        *(name for pair in _UV_NAMES for name in pair),
    }
    for name in sorted(names - known):
        if vertex[name].dtype.kind in "fiu":
            found[Domain.POINT, name] = vertex[name].astype(np.float32)
    return found


def write(geometry: Geometry, strengths: dict[str, Floats], path: Path) -> None:
    """One mesh as binary PLY with normals, point colours where there are, and strengths as properties of the points."""
    columns: dict[str, NDArray[Any]] = {}
    columns.update(zip("xyz", geometry.points.T, strict=True))
    columns.update(zip(("nx", "ny", "nz"), geometry.normals.T, strict=True))
    color = geometry.attribute(Domain.POINT, "color")
    if color is not None:
        whole = np.clip(np.rint(color[:, :3] * 255), 0, 255).astype(np.uint8)
        columns.update(zip(("red", "green", "blue"), whole.T, strict=True))
    columns.update(strengths)
    vertex = np.empty(len(geometry.points), [(name, values.dtype) for name, values in columns.items()])
    for name, values in columns.items():
        vertex[name] = values
    PlyData([PlyElement.describe(vertex, "vertex"), _faces(geometry)]).write(str(path))


def _faces(geometry: Geometry) -> PlyElement:
    corners, offsets = geometry.topology.corners, geometry.topology.offsets
    sizes = np.diff(offsets)
    if len(sizes) and (sizes == sizes[0]).all():
        face = np.empty(len(sizes), [("vertex_indices", np.int32, (int(sizes[0]),))])
        face["vertex_indices"] = corners.reshape(-1, sizes[0])
        return PlyElement.describe(face, "face")
    ragged = np.empty(len(sizes), [("vertex_indices", object)])
    ragged["vertex_indices"] = np.split(corners, offsets[1:-1])
    return PlyElement.describe(ragged, "face", val_types={"vertex_indices": "i4"}, len_types={"vertex_indices": "i4"})
