"""glTF 2.0 and GLB: triangles with UVs, normals and colours, placed by their nodes.

Khronos Group, "glTF 2.0 Specification" (2021).
"""

import base64
import binascii
import json
import struct
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Domain, Geometry
from estompe.geometry.shading import AUTHORED
from estompe.importing.formats import Reader, register_reader
from estompe.importing.merging import Part, joined, merged, turned_over, welded

_TYPES = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
# Extensions that a reader of shapes may ignore although a file requires them: they are about materials and lights.
_HARMLESS = ("KHR_materials_", "KHR_lights_", "KHR_texture_", "KHR_mesh_quantization", "EXT_texture_", "MSFT_texture_")
_MOST_NODES = 100_000
_MOST_ELEMENTS = 400_000_000
_TRIANGLES, _STRIP, _FAN = 4, 5, 6
# What points have more than one of, once they are welded, goes to the corners.
_STORED = (
    ("TEXCOORD_0", Domain.CORNER, "uv", 2),
    ("NORMAL", Domain.CORNER, AUTHORED, 3),
    ("COLOR_0", Domain.POINT, "color", 3),
)


def read(path: Path, progress: Progress, metres_per_unit: float) -> Geometry:
    """The meshes of a glTF or GLB file as one, in scene units; each placed mesh becomes a face group. Raises ExchangeError."""
    progress(0.0, "reading")
    try:
        file = GltfFile(path)
        parts, notes = _parts(file, progress)
    except (KeyError, IndexError, TypeError, ValueError, AttributeError, struct.error, RecursionError) as error:
        if isinstance(error, ExchangeError):
            raise
        raise ExchangeError(f"damaged or not a glTF file ({type(error).__name__}: {error})") from None
    progress(0.9, "checking the mesh")
    scaled = [part._replace(points=part.points / metres_per_unit) for part in parts]
    return merged(scaled, tuple(notes))


class GltfFile:
    """The JSON of a file and its buffers, each read once."""

    def __init__(self, path: Path) -> None:
        self._folder = path.parent
        data = path.read_bytes()
        self._size = len(data)
        self._binary = b""
        self.json: dict[str, Any] = json.loads(self._chunks(data) if data[:4] == b"glTF" else data.decode("utf-8-sig"))
        self._buffers: dict[int, bytes] = {}
        wanted = [str(name) for name in self.json.get("extensionsRequired", ())]
        unknown = [name for name in wanted if not name.startswith(_HARMLESS)]
        if unknown:
            raise ExchangeError(f"it needs {', '.join(sorted(unknown))}, which cannot be read: export it without")

    def _chunks(self, data: bytes) -> str:
        text, place = "", 12
        while place + 8 <= len(data):
            length, kind = struct.unpack_from("<II", data, place)
            chunk = data[place + 8 : place + 8 + length]
            if kind == 0x4E4F534A:
                text = chunk.decode("utf-8")
            elif kind == 0x004E4942 and not self._binary:
                self._binary = chunk
            place += 8 + length
        return text

    def _buffer(self, number: int) -> bytes:
        if number not in self._buffers:
            about = self.json["buffers"][number]
            uri = about.get("uri")
            if uri is None:
                self._buffers[number] = self._binary
            elif uri.startswith("data:"):
                self._buffers[number] = _decoded(uri)
            else:
                self._buffers[number] = self._beside(uri).read_bytes()
        return self._buffers[number]

    def files(self) -> list[Path]:
        """The file's buffers and pictures that are files of their own."""
        parts = [*self.json.get("buffers", ()), *self.json.get("images", ())]
        uris = [part.get("uri") for part in parts if isinstance(part, dict)]
        return [self._folder / unquote(uri) for uri in uris if isinstance(uri, str) and not uri.startswith("data:")]

    def _beside(self, uri: str) -> Path:
        relative = PurePosixPath(unquote(uri))
        if relative.is_absolute() or ".." in relative.parts or "://" in uri:
            raise ExchangeError(f"it refers to “{clean_name(uri)[:80]}”, outside its own folder")
        found = self._folder / relative
        if found.exists() and not found.is_file():
            raise ExchangeError(f"its buffer {found} is no regular file")
        return found

    def accessor(self, number: int) -> NDArray[Any]:
        """The values of an accessor, (count,) or (count, k); normalised integers become 0..1."""
        about = self.json["accessors"][number]
        count, width = int(about["count"]), _WIDTHS[about["type"]]
        kind = np.dtype(_TYPES[about["componentType"]])
        if not 0 <= count <= _MOST_ELEMENTS // width:
            raise ExchangeError(f"an accessor promises {count:,} values")
        if "bufferView" in about:
            values = self._view(about["bufferView"], int(about.get("byteOffset", 0)), kind, count, width)
        else:
            # All zero, as the standard says; worth having only as the ground of a sparse accessor, whose size is bounded.
            if count * width * kind.itemsize > max(2**26, 64 * self._size):
                raise ExchangeError(f"an accessor promises {count:,} values and holds none")
            values = np.zeros((count, width), kind)
        if "sparse" in about:
            values = self._with_sparse(values.copy(), about["sparse"], kind, width)
        if about.get("normalized") and kind.kind in "iu":
            values = np.maximum(values.astype(np.float32) / np.float32(np.iinfo(kind).max), np.float32(-1.0))
        return values[:, 0] if width == 1 else values

    def _with_sparse(
        self, values: NDArray[Any], sparse: dict[str, Any], kind: np.dtype[Any], width: int
    ) -> NDArray[Any]:
        count = int(sparse["count"])
        where, what = sparse["indices"], sparse["values"]
        index_kind = np.dtype(_TYPES[where["componentType"]])
        places = self._view(where["bufferView"], int(where.get("byteOffset", 0)), index_kind, count, 1)[:, 0]
        if count and int(places.max()) >= len(values):
            raise ExchangeError("a sparse accessor names a value that does not exist")
        values[places] = self._view(what["bufferView"], int(what.get("byteOffset", 0)), kind, count, width)
        return values

    def _view(self, number: int, offset: int, kind: np.dtype[Any], count: int, width: int) -> NDArray[Any]:
        view = self.json["bufferViews"][number]
        data = self._buffer(int(view["buffer"]))
        begin = int(view.get("byteOffset", 0)) + offset
        step = int(view.get("byteStride") or kind.itemsize * width)
        need = begin + step * (count - 1) + kind.itemsize * width if count else begin
        if min(begin, offset, step) < 0 or need > len(data):
            raise ExchangeError("an accessor reaches past the end of its buffer")
        return np.ndarray((count, width), kind, data, begin, (step, kind.itemsize)).copy()


def _decoded(uri: str) -> bytes:
    head, _, body = uri.partition(",")
    try:
        return base64.b64decode(body, validate=False) if head.endswith(";base64") else unquote(body).encode("latin-1")
    except (binascii.Error, UnicodeError) as error:
        raise ExchangeError(f"an embedded buffer is damaged ({error})") from None


def _parts(file: GltfFile, progress: Progress) -> tuple[list[Part], list[str]]:
    found: list[Part] = []
    notes: set[str] = set()
    placed = _placed(file.json)
    for number, (node, mesh, matrix) in enumerate(placed):
        about = file.json["meshes"][mesh]
        name = clean_name(str(file.json["nodes"][node].get("name") or about.get("name") or f"Mesh {mesh + 1}"))
        progress(0.9 * number / len(placed), f"reading {name}")
        parts = [primitive_part(file, primitive, name, matrix, notes) for primitive in about["primitives"]]
        there = [
            (part, primitive) for part, primitive in zip(parts, about["primitives"], strict=True) if part is not None
        ]
        if there:
            found.append(welded(body_of(file, there, name))[0])
    return found, sorted(notes)


def body_of(file: GltfFile, primitives: list[tuple[Part, dict[str, Any]]], name: str) -> Part:
    """The primitives of one mesh as one part; the faces of each are a group that is called as their material is."""
    if len(primitives) == 1:
        return primitives[0][0]
    groups = [_material(file, primitive) or f"{name} {number}" for number, (_, primitive) in enumerate(primitives, 1)]
    return joined([part for part, _ in primitives], name, groups)


def _material(file: GltfFile, primitive: dict[str, Any]) -> str:
    if "material" not in primitive:
        return ""
    return clean_name(str(file.json["materials"][int(primitive["material"])].get("name", "")))


def _placed(about: dict[str, Any]) -> list[tuple[int, int, NDArray[np.float64]]]:
    """Every node with a mesh: its number, the mesh's, and its matrix to the world, float64 (4, 4)."""
    nodes = about.get("nodes", [])
    if len(nodes) > _MOST_NODES:
        raise ExchangeError(f"it has {len(nodes):,} nodes, more than the {_MOST_NODES:,} that are read")
    scenes = about.get("scenes", [])
    below = {child for node in nodes for child in node.get("children", ())}
    roots = scenes[int(about.get("scene", 0))].get("nodes", []) if scenes else set(range(len(nodes))) - below
    waiting = [(int(root), np.eye(4)) for root in roots]
    found, seen = [], set()
    while waiting:
        number, outer = waiting.pop()
        if number in seen:
            raise ExchangeError("a node stands in two places, which the format forbids")
        seen.add(number)
        matrix = outer @ node_matrix(nodes[number])
        if "mesh" in nodes[number]:
            found.append((number, int(nodes[number]["mesh"]), matrix))
        waiting += [(int(child), matrix) for child in nodes[number].get("children", ())]
    return sorted(found, key=lambda item: item[0])


def node_matrix(node: dict[str, Any]) -> NDArray[np.float64]:
    """A node's space to its parent's, float64 (4, 4), columns."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    made = np.eye(4)
    x, y, z, w = (float(value) for value in node.get("rotation", (0.0, 0.0, 0.0, 1.0)))
    rotation = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    made[:3, :3] = rotation * np.array(node.get("scale", (1.0, 1.0, 1.0)), np.float64)
    made[:3, 3] = node.get("translation", (0.0, 0.0, 0.0))
    return made


def primitive_part(file: GltfFile, primitive: dict[str, Any], name: str, matrix: Any, notes: set[str]) -> Part | None:
    """A primitive of a mesh, placed by a matrix, with the points as the file has them; None, and a note, for points and lines."""
    mode = int(primitive.get("mode", _TRIANGLES))
    if mode not in (_TRIANGLES, _STRIP, _FAN):
        notes.add(f"points and lines of “{name}” were left out")
        return None
    named = primitive["attributes"]
    points = file.accessor(named["POSITION"]).astype(np.float64)
    points = points @ matrix[:3, :3].T + matrix[:3, 3]
    order = file.accessor(primitive["indices"]).astype(np.int64) if "indices" in primitive else np.arange(len(points))
    corners = _triangles(order, mode).reshape(-1)
    if not len(corners):
        return None
    attributes: dict[tuple[Domain, str], NDArray[Any]] = {}
    sound = corners.min() >= 0 and corners.max() < len(points)
    for key, domain, stored, width in _STORED:
        if key not in named:
            continue
        values: NDArray[Any] = file.accessor(named[key])[:, :width].astype(np.float32)
        if sound and len(values) == len(points):
            # The format counts V from the top of the picture, we from its bottom.
            values = np.stack([values[:, 0], 1 - values[:, 1]], 1) if stored == "uv" else values
            attributes[domain, stored] = values[corners] if domain is Domain.CORNER else values
    part = Part(name, points, corners, np.full(len(corners) // 3, 3), attributes)
    return turned_over(part) if np.linalg.det(matrix[:3, :3]) < 0 else part


def _triangles(order: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    if mode == _TRIANGLES:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    count = max(0, len(order) - 2)
    if mode == _FAN:
        return np.stack([np.repeat(order[:1], count), order[1 : count + 1], order[2 : count + 2]], axis=1)
    made = np.stack([order[:count], order[1 : count + 1], order[2 : count + 2]], axis=1)
    made[1::2] = made[1::2][:, [1, 0, 2]]
    return made


register_reader(Reader("glTF", (".glb", ".gltf"), read))
