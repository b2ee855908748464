"""Several meshes of one file as one."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.exchange.errors import ExchangeError
from estompe.geometry import Domain, Geometry

Arrays = dict[tuple[Domain, str], NDArray[Any]]
MOST_GROUPS = 256


class Part(NamedTuple):
    """One mesh: points (n, 3), corners (m,) naming its own points, corners of each face (faces,), attributes."""

    name: str
    points: NDArray[Any]
    corners: NDArray[Any]
    sizes: NDArray[Any]
    attributes: Arrays


def joined(parts: list[Part]) -> Geometry:
    """All parts as one mesh; each becomes a face group, attributes that all have are kept.

    Raises ExchangeError where there is nothing or a face names a point of another part.
    """
    if not parts:
        raise ExchangeError("it has no faces")
    for part in parts:
        if len(part.corners) and (part.corners.min() < 0 or part.corners.max() >= len(part.points)):
            raise ExchangeError(f"a face of “{part.name}” names a point that does not exist")
    starts = np.cumsum([0, *(len(part.points) for part in parts)])
    corners = np.concatenate([part.corners + start for part, start in zip(parts, starts, strict=False)])
    sizes = np.concatenate([part.sizes for part in parts])
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    points = np.concatenate([part.points for part in parts])
    return Geometry.from_faces(points, corners, offsets, _attributes(parts))


def _attributes(parts: list[Part]) -> Arrays:
    found: Arrays = {}
    for key in set.intersection(*(set(part.attributes) for part in parts)):
        arrays = [part.attributes[key] for part in parts]
        if len({array.shape[1:] for array in arrays}) == 1:
            found[key] = np.concatenate(arrays)
    if len(parts) > 1:
        owner = np.repeat(np.arange(len(parts)), [len(part.sizes) for part in parts])
        for number, part in enumerate(parts[:MOST_GROUPS]):
            found[Domain.FACE, part.name] = owner == number
    return found
