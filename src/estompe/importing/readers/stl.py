"""STL: triangles, text or binary; equal corners become one point."""

import re
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Geometry
from estompe.importing.formats import Reader, register_reader
from estompe.importing.merging import mesh_of

_HEADER, _FACET = 84, 50
_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_VERTEX = re.compile(rb"\bvertex\s+(\S+)\s+(\S+)\s+(\S+)", re.IGNORECASE)


def read(path: Path, progress: Progress, metres_per_unit: float) -> Geometry:
    """The mesh in an STL file. Raises ExchangeError."""
    del metres_per_unit  # the format has no unit
    progress(0.0, "reading")
    data = path.read_bytes()
    corners = _text(data) if _is_text(data) else _binary(data)
    if not len(corners):
        raise ExchangeError("it has no whole triangle: it is damaged, or no STL file")
    progress(0.6, f"joining {len(corners):,} triangles")
    points, which = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    faces = which.reshape(-1, 3)
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    kept = faces[whole]
    return mesh_of(points, kept.reshape(-1), np.arange(0, kept.size + 1, 3), {})


def _is_text(data: bytes) -> bool:
    """Whether a file is text: many binary ones begin with the word solid too, so their size decides."""
    if len(data) >= _HEADER:
        count = int.from_bytes(data[80:84], "little")
        if _HEADER + _FACET * count == len(data):
            return False
    return data.lstrip()[:5].lower() == b"solid" and b"facet" in data[:4096].lower()


def _binary(data: bytes) -> NDArray[Any]:
    if len(data) < _HEADER:
        raise ExchangeError("damaged or not an STL file: it is too short")
    # As many as there are: counts in the wild are wrong, and bytes may follow the last triangle.
    stated = int.from_bytes(data[80:84], "little")
    there = (len(data) - _HEADER) // _FACET
    if not stated <= there and there == 0:
        raise ExchangeError(f"damaged: it promises {stated:,} triangles and holds none")
    count = stated if 0 < stated <= there else there
    return np.frombuffer(data, _RECORD, count, _HEADER)["corners"]


def _text(data: bytes) -> NDArray[Any]:
    try:
        numbers = np.array([match.groups() for match in _VERTEX.finditer(data)], dtype="S32").astype(np.float64)
    except ValueError as error:
        raise ExchangeError(f"a vertex is no number ({error})") from None
    whole = len(numbers) // 3 * 3
    return numbers[:whole].astype(np.float32).reshape(-1, 3, 3)


register_reader(Reader("STL", (".stl",), read))
