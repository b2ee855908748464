"""OBJ: polygons, UVs, normals, point colours and groups."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Domain, Geometry
from estompe.geometry.colors import as_linear
from estompe.geometry.shading import AUTHORED
from estompe.importing.formats import Reader, register_reader
from estompe.importing.merging import MOST_GROUPS, mesh_of
from estompe.kernels import obj_text

_STRETCH = 16 * 2**20
_ERRORS = {
    obj_text.BAD_NUMBER: "a position that is not a number",
    obj_text.BAD_INDEX: "a face that names a point or UV that does not exist",
}


def read(path: Path, progress: Progress, metres_per_unit: float) -> Geometry:
    """The mesh in an OBJ file; each named object or group becomes a face group. Raises ExchangeError."""
    del metres_per_unit  # the format has no unit
    data = _plain_lines(path.read_bytes())
    text = np.frombuffer(data, np.uint8)
    counts = np.zeros(obj_text.STATE_SIZE, np.int64)
    stretches = _stretches(data)
    for number, (begin, end) in enumerate(stretches):
        progress(0.4 * number / len(stretches), "counting lines")
        obj_text.count(text, begin, end, counts)
    state, arrays = _filled(text, counts, stretches, progress)
    if state[obj_text.ERROR]:
        raise ExchangeError(f"line {state[obj_text.ERROR_LINE]} has {_ERRORS[int(state[obj_text.ERROR])]}")
    progress(0.95, "checking the mesh")
    return _geometry(data, state, arrays)


def _plain_lines(data: bytes) -> bytes:
    """The text without a byte order mark, with line feeds, and with continued lines joined."""
    data = data.removeprefix(b"\xef\xbb\xbf")
    if b"\n" not in data:
        data = data.replace(b"\r", b"\n")
    if b"\\\n" in data or b"\\\r\n" in data:
        data = data.replace(b"\\\r\n", b"  ").replace(b"\\\n", b"  ")
    return data


def _filled(
    text: NDArray[np.uint8], counts: NDArray[np.int64], stretches: list[tuple[int, int]], progress: Progress
) -> tuple[NDArray[np.int64], dict[str, NDArray[Any]]]:
    points, uvs, normals = (int(counts[what]) for what in (obj_text.POINTS, obj_text.UVS, obj_text.NORMALS))
    faces, corners = int(counts[obj_text.FACES]), int(counts[obj_text.CORNERS])
    arrays: dict[str, NDArray[Any]] = {
        "points": np.zeros((points, 3), np.float32),
        "colors": np.ones((points, 3), np.float32),
        "uvs": np.zeros((uvs, 2), np.float32),
        "normals": np.zeros((normals, 3), np.float32),
        "corners": np.zeros(corners, np.int32),
        "corner_uvs": np.full(corners, -1, np.int32),
        "corner_normals": np.full(corners, -1, np.int32),
        "offsets": np.zeros(faces + 1, np.int32),
        "groups": np.zeros((int(counts[obj_text.GROUPS]), 2), np.int64),
    }
    state = np.zeros(obj_text.STATE_SIZE, np.int64)
    for number, (begin, end) in enumerate(stretches):
        progress(0.4 + 0.55 * number / len(stretches), f"reading {points:,} points")
        obj_text.fill(text, begin, end, state, *arrays.values())
    return state, arrays


def _stretches(data: bytes) -> list[tuple[int, int]]:
    """Pieces of some megabytes that end with whole lines."""
    found = []
    begin = 0
    while begin < len(data):
        end = data.find(b"\n", min(len(data), begin + _STRETCH))
        end = len(data) if end < 0 else end + 1
        found.append((begin, end))
        begin = end
    return found


def _geometry(data: bytes, state: NDArray[np.int64], arrays: dict[str, NDArray[Any]]) -> Geometry:
    attributes: dict[tuple[Domain, str], NDArray[Any]] = {}
    for stored, values in (("uv", "uvs"), (AUTHORED, "normals")):
        named = arrays[f"corner_{values}"][: state[obj_text.CORNERS]]
        if len(named) and named.max() >= 0:
            found = arrays[values][np.maximum(named, 0)]
            found[named < 0] = 0.0
            attributes[Domain.CORNER, stored] = found
    if len(arrays["points"]) and state[obj_text.COLORED] == len(arrays["points"]):
        attributes[Domain.POINT, "color"] = as_linear(arrays["colors"])  # files hold display values
    faces, corners = int(state[obj_text.FACES]), int(state[obj_text.CORNERS])
    for name, members in _groups(data, arrays["groups"], faces).items():
        attributes[Domain.FACE, name] = members
    skipped = int(state[obj_text.SKIPPED])
    notes = (f"{skipped:,} faces of fewer than three corners were left out",) if skipped else ()
    offsets = arrays["offsets"][: faces + 1]
    return mesh_of(arrays["points"], arrays["corners"][:corners], offsets, attributes, notes)


def _groups(data: bytes, starts: NDArray[np.int64], faces: int) -> dict[str, NDArray[np.bool_]]:
    groups: dict[str, NDArray[np.bool_]] = {}
    for index, (first, name_at) in enumerate(starts):
        last = starts[index + 1, 0] if index + 1 < len(starts) else faces
        line_end = data.find(b"\n", name_at)
        name = data[name_at : line_end if line_end >= 0 else len(data)].decode("utf-8", "replace").strip()[:200]
        if last > first and name and (name in groups or len(groups) < MOST_GROUPS):
            groups.setdefault(name, np.zeros(faces, np.bool_))[first:last] = True
    return groups


register_reader(Reader("OBJ", (".obj",), read))
