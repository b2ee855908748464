"""PLY: polygons, colours, UVs and any other numbers of points, text or binary."""

import io
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Domain, Geometry
from estompe.geometry.colors import as_linear
from estompe.importing.formats import Reader, register_reader
from estompe.importing.merging import mesh_of

_UV_NAMES = (("u", "v"), ("s", "t"), ("texture_u", "texture_v"))
_COLOR = ("red", "green", "blue")
_FACE_LISTS = ("vertex_indices", "vertex_index")
_SIZES = {"char": 1, "uchar": 1, "int8": 1, "uint8": 1, "short": 2, "ushort": 2, "int16": 2, "uint16": 2, "double": 8,
          "float64": 8}  # fmt: skip
_LONGEST_HEADER = 64 * 1024


class _Header(NamedTuple):
    """The header's text, where the data begins, and the name of the list that holds the faces."""

    text: bytes
    begin: int
    faces: str
    ascii: bool


def read(path: Path, progress: Progress, metres_per_unit: float) -> Geometry:
    """The mesh in a PLY file. Raises ExchangeError."""
    del metres_per_unit  # the format has no unit
    from plyfile import PlyParseError

    progress(0.0, "reading")
    header = _header(path)
    try:
        data = _data(path, header)
        vertex, face = data["vertex"], data["face"]
        points = np.stack([vertex[axis] for axis in "xyz"], axis=1).astype(np.float32)
        progress(0.7, f"reading {len(face.data):,} faces")
        corners, offsets = _polygons(face.data[header.faces])
        attributes = {**_of_points(vertex.data), **_of_faces(face.data, len(corners))}
    except (PlyParseError, UnicodeDecodeError) as error:
        raise ExchangeError(f"damaged or not a PLY file ({error})") from None
    except (KeyError, StopIteration, ValueError, IndexError, TypeError, OverflowError) as error:
        if isinstance(error, ExchangeError):
            raise
        raise ExchangeError(f"it lacks points or faces ({error})") from None
    progress(0.9, "checking the mesh")
    return mesh_of(points, corners, offsets, attributes)


def _header(path: Path) -> _Header:
    """The header, with every count held against the file's size before anything is allocated."""
    with path.open("rb") as stream:
        start = stream.read(_LONGEST_HEADER)
    end = start.find(b"end_header")
    if not start.startswith(b"ply") or end < 0:
        raise ExchangeError("damaged or not a PLY file: it has no whole header")
    begin = start.find(b"\n", end) + 1 or end + 11
    lines = [line.split() for line in start[:end].decode("latin-1").replace("\r", "\n").split("\n")]
    is_text = any(line[:2] == ["format", "ascii"] for line in lines)
    left, lists, element = path.stat().st_size - begin, [], ""
    least, count = 0, 0
    for line in [*lines, ["element", "", "0"]]:
        if line[:1] == ["element"] and len(line) >= 3:
            if count * max(1, least) > left:
                raise ExchangeError(
                    f"damaged: it promises {count:,} of {element or 'something'} and is too small for them"
                )
            element, count, least = line[1], int(line[2]) if line[2].isdigit() else -1, 0
            if count < 0:
                raise ExchangeError(f"damaged: “{line[2][:20]}” is no count")
        elif line[:2] == ["property", "list"] and len(line) >= 5:
            least += 2 if is_text else _SIZES.get(line[2], 4)
            if element == "face":
                lists.append(line[4])
        elif line[:1] == ["property"] and len(line) >= 3:
            least += 2 if is_text else _SIZES.get(line[1], 4)
    faces = next((name for name in _FACE_LISTS if name in lists), None)
    if faces is None:
        raise ExchangeError("it lacks points or faces: no list of vertex indices")
    return _Header(start[:begin], begin, faces, is_text)


def _data(path: Path, header: _Header) -> Any:
    """The file's elements. Faces of one size are mapped rather than parsed, which is a hundred times as fast."""
    from plyfile import PlyData, PlyParseError

    sound = header.text.isascii()
    if sound and not header.ascii:
        for size in (3, 4):
            try:
                return PlyData.read(str(path), known_list_len={"face": {header.faces: size}})
            except (PlyParseError, ValueError, KeyError):
                continue
    if sound:
        return PlyData.read(str(path))
    # Comments in other encodings are common, and of no interest.
    head = bytes(byte if byte < 128 else ord("?") for byte in header.text)
    return PlyData.read(io.BytesIO(head + path.read_bytes()[header.begin :]))


def _polygons(lists: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    if not len(lists):
        raise ExchangeError("it has no faces")
    if lists.dtype != object:
        return lists.reshape(-1).astype(np.int64), np.arange(0, lists.size + 1, lists.shape[1])
    sizes = np.fromiter(map(len, lists), np.int64, len(lists))
    return np.concatenate(lists).astype(np.int64), np.concatenate([[0], np.cumsum(sizes)])


def _of_points(vertex: NDArray[Any]) -> dict[tuple[Domain, str], NDArray[Any]]:
    names = set(vertex.dtype.names or ())
    found: dict[tuple[Domain, str], NDArray[Any]] = {}
    if set(_COLOR) <= names:
        found[Domain.POINT, "color"] = _color(vertex)
    for u, v in _UV_NAMES:
        if {u, v} <= names:
            found[Domain.POINT, "uv"] = np.stack([vertex[u], vertex[v]], axis=1).astype(np.float32)
            break
    known = {"x", "y", "z", "nx", "ny", "nz", "alpha", *_COLOR, *(name for pair in _UV_NAMES for name in pair)}
    for name in sorted(names - known):
        if vertex[name].dtype.kind in "fiu":
            found[Domain.POINT, name] = vertex[name].astype(np.float32)
    return found


def _of_faces(face: NDArray[Any], corners: int) -> dict[tuple[Domain, str], NDArray[Any]]:
    names = set(face.dtype.names or ())
    found: dict[tuple[Domain, str], NDArray[Any]] = {}
    if set(_COLOR) <= names:
        found[Domain.FACE, "color"] = _color(face)
    if "texcoord" in names:
        lists = face["texcoord"]
        flat = lists.reshape(-1) if lists.dtype != object else np.concatenate([*lists, np.zeros(0, np.float32)])
        if len(flat) == 2 * corners:
            found[Domain.CORNER, "uv"] = flat.astype(np.float32).reshape(-1, 2)
    return found


def _color(rows: NDArray[Any]) -> NDArray[np.float32]:
    """Colours, which files hold as display values, in linear light."""
    color = np.stack([rows[name] for name in _COLOR], axis=1)
    return as_linear(color / (255.0 if color.dtype.kind in "ui" else 1.0))


register_reader(Reader("PLY", (".ply",), read))
