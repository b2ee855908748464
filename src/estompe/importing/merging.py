"""Several meshes of one file as one."""

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.files.progress import ExchangeError
from estompe.geometry import Domain, Geometry
from estompe.geometry.attributes import finite, held_to_table
from estompe.geometry.shading import AUTHORED, has_hard_edges, with_normals

Arrays = dict[tuple[Domain, str], NDArray[Any]]
MOST_GROUPS = 256


class Part(NamedTuple):
    """One mesh: points (n, 3), corners (m,) naming its own points, corners of each face (faces,), attributes."""

    name: str
    points: NDArray[Any]
    corners: NDArray[Any]
    sizes: NDArray[Any]
    attributes: Arrays


def turned_over(part: Part) -> Part:
    """The same mesh with each face's corners the other way round, as a mirrored transform needs it."""
    ends = np.cumsum(part.sizes)
    order = np.repeat(ends - 1 + ends - part.sizes, part.sizes) - np.arange(len(part.corners))
    attributes = {key: values[order] if key[0] is Domain.CORNER else values for key, values in part.attributes.items()}
    return part._replace(corners=part.corners[order], attributes=attributes)


def welded(part: Part, telling: Sequence[NDArray[Any]] = ()) -> tuple[Part, NDArray[np.int64]]:
    """Points that a file keeps several times, once for each UV and normal, as one again; faces that fold up by it are left out.

    telling: more values of points, (n, …), which must agree, too. Returns also which of the given points each is, int64.
    A part that is nothing but such faces, or names points that do not exist, comes back as it is.
    """
    count = len(part.points)
    as_it_is = part, np.arange(count)
    if not len(part.corners) or part.corners.min() < 0 or part.corners.max() >= count:
        return as_it_is
    rows = [np.asarray(part.points, np.float32), *(np.asarray(item, np.float32).reshape(count, -1) for item in telling)]
    table = np.ascontiguousarray(np.concatenate(rows, axis=1) + np.float32(0.0))  # so that -0 is 0
    _, first, which = np.unique(table.view(f"V{table.strides[0]}")[:, 0], return_index=True, return_inverse=True)
    # In the order in which the file has them.
    order = np.argsort(first)
    number = np.empty(len(order), np.int64)
    number[order] = np.arange(len(order))
    kept = first[order]
    corners = number[which.reshape(-1)][part.corners]
    unfolded = _unfolded(corners, part.sizes)
    if not unfolded.any():
        return as_it_is
    of_corners = np.repeat(unfolded, part.sizes)
    chosen: dict[Domain, NDArray[Any]] = {Domain.POINT: kept, Domain.CORNER: of_corners, Domain.FACE: unfolded}
    attributes = {
        key: values[chosen[key[0]]] if key[0] in chosen else values for key, values in part.attributes.items()
    }
    return Part(part.name, part.points[kept], corners[of_corners], part.sizes[unfolded], attributes), kept


def _unfolded(corners: NDArray[Any], sizes: NDArray[Any]) -> NDArray[np.bool_]:
    """Which triangles have three points; larger faces are taken as they are."""
    good = np.ones(len(sizes), np.bool_)
    three = np.flatnonzero(sizes == 3)
    starts = (np.cumsum(sizes) - sizes)[three]
    a, b, c = (corners[starts + step] for step in range(3))
    good[three] = (a != b) & (b != c) & (c != a)
    return good


def repeated(part: Part, matrices: NDArray[np.float64], name: str) -> Part:
    """A part as often as there are matrices, float64 (k, 4, 4), rows times matrix. Raises ExchangeError for wrong corners."""
    count = len(part.points)
    if len(part.corners) and (part.corners.min() < 0 or part.corners.max() >= count):
        raise ExchangeError(f"a face of “{part.name}” names a point that does not exist")
    points = part.points @ matrices[:, :3, :3] + matrices[:, 3:, :3]
    corners = part.corners + count * np.arange(len(matrices))[:, None]
    attributes = {
        key: values if key[0] is Domain.WHOLE else np.concatenate([values] * len(matrices))
        for key, values in part.attributes.items()
    }
    return Part(name, points.reshape(-1, 3), corners.reshape(-1), np.tile(part.sizes, len(matrices)), attributes)


def merged(parts: list[Part], notes: tuple[str, ...] = ()) -> Geometry:
    """All parts as one mesh; each becomes a face group, attributes that all have are kept.

    Raises ExchangeError where there is nothing or a face names a point of another part.
    """
    if not parts:
        raise ExchangeError("it has no faces" + "".join(f"; {note}" for note in notes))
    for part in parts:
        if len(part.corners) and (part.corners.min() < 0 or part.corners.max() >= len(part.points)):
            raise ExchangeError(f"a face of “{part.name}” names a point that does not exist")
    whole = joined(parts, "", [part.name for part in parts])
    offsets = np.concatenate([[0], np.cumsum(whole.sizes)])
    return mesh_of(whole.points, whole.corners, offsets, whole.attributes, notes)


def joined(parts: list[Part], name: str, groups: list[str]) -> Part:
    """Parts as one; attributes that all have are kept. groups: what the faces of each are called, where there are several."""
    starts = np.cumsum([0, *(len(part.points) for part in parts)])
    corners = np.concatenate([part.corners + start for part, start in zip(parts, starts, strict=False)])
    sizes = np.concatenate([part.sizes for part in parts])
    points = np.concatenate([part.points for part in parts])
    return Part(name, points, corners, sizes, _attributes(parts, groups))


def mesh_of(
    points: NDArray[Any], corners: NDArray[Any], offsets: NDArray[Any], attributes: Arrays, notes: tuple[str, ...] = ()
) -> Geometry:
    """A mesh of what a file held: names are cleaned, reserved ones held to their form, and values that are no numbers told."""
    kept: Arrays = {}
    said = list(notes)
    for (domain, name), values in attributes.items():
        sound, note = finite(clean_name(name), values)
        said += [note] if note else []
        fitting, held = held_to_table(clean_name(name), sound)
        kept[domain, fitting] = held
    made = Geometry.from_faces(points, corners, offsets, kept)
    normals = made.attribute(Domain.CORNER, AUTHORED)
    if normals is not None and not has_hard_edges(made.topology, normals):
        # Normals that tell no hard edge tell nothing.
        del kept[Domain.CORNER, AUTHORED]
        made = Geometry(made.points, made.topology, {key: made.attributes[key] for key in kept}, made.at_rest)
    return Geometry(made.points, made.topology, made.attributes, made.at_rest, tuple(said))


def _attributes(parts: list[Part], groups: list[str]) -> Arrays:
    found: Arrays = {}
    counts = [len(part.corners) for part in parts]
    every = with_normals([_with_groups(part, parts) for part in parts], (Domain.CORNER, AUTHORED), counts)
    for key in sorted(set.intersection(*map(set, every))):
        arrays = [attributes[key] for attributes in every]
        if len({array.shape[1:] for array in arrays}) == 1:
            found[key] = np.concatenate(arrays)
    if len(parts) > 1:
        owner = np.repeat(np.arange(len(parts)), [len(part.sizes) for part in parts])
        taken: set[str] = set()
        for number, name in enumerate(groups[:MOST_GROUPS]):
            found[Domain.FACE, _fresh(name, taken)] = owner == number
    return found


def _with_groups(part: Part, parts: list[Part]) -> Arrays:
    """The attributes of a part, and the groups of the others, in which none of its faces are."""
    others = {key for other in parts for key, values in other.attributes.items()
              if key[0] is Domain.FACE and values.dtype == np.bool_}  # fmt: skip
    none = np.zeros(len(part.sizes), np.bool_)
    return {**dict.fromkeys(sorted(others), none), **part.attributes}


def _fresh(name: str, taken: set[str]) -> str:
    found, number = name, 2
    while found in taken:
        found, number = f"{name} {number}", number + 1
    taken.add(found)
    return found
