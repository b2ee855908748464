"""The elements of a mesh as falloffs and effects see them: points, faces or pieces, with what there is to know of each."""

from collections.abc import Callable
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.copies import Copies
from estompe.geometry.geometry import Domain, Geometry
from estompe.kernels.mixing import Mix, mixed
from estompe.kernels.spread import neighbour_blocks
from estompe.kernels.topology import corners_of_points
from estompe.kernels.types import Floats, Indices, frozen

_NEAR = 6


class Samples:
    """The elements of one domain of a mesh. Arrays are float32 and read-only, found when first asked for.

    Subclasses say where elements are and how values of other domains come to them.
    """

    domain: Domain

    def __init__(self, geometry: Geometry) -> None:
        self.geometry = geometry

    def __len__(self) -> int:
        return self.geometry.count(self.domain)

    @property
    def positions(self) -> Floats:
        """World space, (n, 3)."""
        raise NotImplementedError

    @property
    def normals(self) -> Floats:
        """Unit vectors, (n, 3), world space."""
        raise NotImplementedError

    @property
    def rest(self) -> Floats:
        """Before placing and effects, (n, 3), local space."""
        raise NotImplementedError

    def rest_extent(self, axis: int) -> tuple[float, float]:
        """The lowest and highest position of the shape at rest along an axis."""
        return self.geometry.at_rest.extent(axis)

    @cached_property
    def ids(self) -> NDArray[np.int64]:
        """Numbers that stay with the elements, int64 (n,)."""
        return np.arange(len(self))

    @cached_property
    def pairs(self) -> Indices:
        """Elements next to each other, each pair once, int32 (e, 2)."""
        raise NotImplementedError

    @cached_property
    def neighbours(self) -> tuple[Indices, Indices]:
        """The elements next to each: starts, int32 (n + 1,), and members, int32; the nearest where nothing joins them."""
        pairs = self.pairs
        if not len(pairs) and len(self) > 1:
            key = "nearest", self.domain, self.geometry.topology
            pairs = self.geometry.at_rest.derived(key, lambda: near_pairs(self.rest))
        both = np.concatenate([pairs, pairs[:, ::-1]])
        starts, order = corners_of_points(np.ascontiguousarray(both[:, 0]), len(self))
        return starts, np.ascontiguousarray(both[order, 1])

    @property
    def neighbour_blocks(self) -> tuple[Indices, Indices]:
        """The blocks of elements next to each block: starts and members, int32; kept, since they stay the same."""
        made: tuple[Indices, Indices] = self.geometry.at_rest.derived(
            ("blocks", self.domain, self.geometry.topology), lambda: neighbour_blocks(*self.neighbours)
        )
        return made

    def values(self, name: str) -> NDArray[Any] | None:
        """A stored attribute on the elements, float32 (n,) or (n, k), wherever it is kept; None if there is none."""
        own = self.geometry.attribute(self.domain, name)
        if own is not None:
            return np.asarray(own, np.float32)
        for domain in Domain:
            kept = self.geometry.attribute(domain, name)
            if kept is not None:
                return converted(self.geometry, np.asarray(kept, np.float32), domain, self.domain)
        return None


def _mixed_at_rest(geometry: Geometry, name: str, mix: Mix) -> Floats:
    """Where elements lie at rest, kept with the rest: it is the same on all frames."""
    made: Floats = geometry.at_rest.derived((name, geometry.topology), lambda: frozen(mixed(geometry.rest, mix)))
    return made


class _Points(Samples):
    domain = Domain.POINT

    @property
    def positions(self) -> Floats:
        return self.geometry.points

    @property
    def normals(self) -> Floats:
        return self.geometry.normals

    @property
    def rest(self) -> Floats:
        return self.geometry.rest

    @cached_property
    def ids(self) -> NDArray[np.int64]:
        # Points of a volume's surface are counted anew on each frame; their places on the lattice stay.
        own = self.geometry.attribute(Domain.POINT, "id")
        return np.arange(len(self)) if own is None else np.asarray(own, np.int64)

    @property
    def pairs(self) -> Indices:  # type: ignore[override]
        return self.geometry.topology.edges

    @property
    def neighbours(self) -> tuple[Indices, Indices]:  # type: ignore[override]
        return self.geometry.topology.neighbours


class _Faces(Samples):
    domain = Domain.FACE

    @property
    def _mix(self) -> Mix:
        return self.geometry.topology.face_mix

    @cached_property
    def positions(self) -> Floats:  # type: ignore[override]
        return frozen(mixed(self.geometry.points, self._mix))

    @cached_property
    def normals(self) -> Floats:  # type: ignore[override]
        return frozen(_unit(self.geometry.topology.face_normals(self.geometry.points)))

    @cached_property
    def rest(self) -> Floats:  # type: ignore[override]
        return _mixed_at_rest(self.geometry, "faces", self._mix)

    @property
    def pairs(self) -> Indices:  # type: ignore[override]
        return self.geometry.topology.face_pairs


class _Pieces(Samples):
    """Pieces of a mesh; a mesh without any is one."""

    domain = Domain.PIECE

    @cached_property
    def positions(self) -> Floats:  # type: ignore[override]
        return frozen(mixed(self.geometry.points, self.geometry.pieces.middles))

    @cached_property
    def normals(self) -> Floats:  # type: ignore[override]
        return frozen(_unit(mixed(self.geometry.normals, self.geometry.pieces.means)))

    @cached_property
    def rest(self) -> Floats:  # type: ignore[override]
        return _mixed_at_rest(self.geometry, "pieces", self.geometry.pieces.middles)

    @cached_property
    def ids(self) -> NDArray[np.int64]:
        return self.geometry.pieces.ids

    @cached_property
    def pairs(self) -> Indices:
        geometry = self.geometry
        if geometry.pieces.pairs is not None:
            return geometry.pieces.pairs
        made: Indices = geometry.at_rest.derived(("near", geometry.topology), lambda: near_pairs(self.rest))
        return made


class _Copies(Samples):
    """Copies that are not made real: nothing here asks for their points."""

    domain = Domain.PIECE
    geometry: Copies

    @property
    def positions(self) -> Floats:
        return self.geometry.positions

    @cached_property
    def normals(self) -> Floats:  # type: ignore[override]
        return frozen(self.geometry.axes[:, 1::3])

    @property
    def rest(self) -> Floats:
        return self.geometry.rest_positions.positions

    def rest_extent(self, axis: int) -> tuple[float, float]:
        return self.geometry.rest_extent(axis)

    @cached_property
    def ids(self) -> NDArray[np.int64]:
        return self.geometry.ids

    @cached_property
    def pairs(self) -> Indices:
        copies = self.geometry
        made: Indices = copies.rest_positions.derived("pairs", lambda: near_pairs(copies.rest_positions.positions))
        return made

    @property
    def neighbour_blocks(self) -> tuple[Indices, Indices]:
        made: tuple[Indices, Indices] = self.geometry.rest_positions.derived(
            "blocks", lambda: neighbour_blocks(*self.neighbours)
        )
        return made

    def values(self, name: str) -> NDArray[Any] | None:
        own = self.geometry.piece_attributes.get((Domain.PIECE, name))
        if own is not None:
            return np.asarray(own, np.float32)
        return self.geometry.form_means(name)


_OF: dict[Domain, type[Samples]] = {Domain.POINT: _Points, Domain.FACE: _Faces, Domain.PIECE: _Pieces}

_OF_COMPONENTS: dict[tuple[str, Domain], type[Samples]] = {("copies", Domain.PIECE): _Copies}
"""Components whose elements are found in another way."""


def samples_of(geometry: Geometry, domain: Domain) -> Samples:
    """The elements of a domain of a mesh; the same object for the same mesh."""
    known: dict[Domain, Samples] = geometry.__dict__.setdefault("_samples", {})
    if domain not in known:
        known[domain] = _OF_COMPONENTS.get((geometry.component, domain), _OF[domain])(geometry)
    return known[domain]


def converted(geometry: Geometry, values: Floats, source: Domain, target: Domain) -> Floats:
    """Values of one domain on the elements of another: means where one has several of the other, else repeated.

    values: float32 (count of the source,) or (…, k). Returns float32 of the target's count.
    """
    if source is target:
        return values
    if source is Domain.WHOLE:
        return np.repeat(values.reshape(1, *values.shape[1:]), geometry.count(target), axis=0)
    topology = geometry.topology
    if target is Domain.FACE:
        if source is Domain.CORNER:
            return _columns(values, topology.corner_mix)
        return _columns(geometry.to_points(source, values), topology.face_mix)
    on_points = geometry.to_points(source, values)
    if target is Domain.PIECE:
        return _columns(on_points, geometry.pieces.means)
    if target is Domain.WHOLE:
        return np.asarray(on_points.mean(axis=0, keepdims=True), np.float32)
    return on_points if target is Domain.POINT else on_points[topology.corners]


def _columns(values: Floats, mix: Mix) -> Floats:
    flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
    return mixed(flat, mix).reshape(-1, *values.shape[1:])


def near_pairs(positions: Floats) -> Indices:
    """Each element with the few nearest to it, each pair once, int32 (e, 2)."""
    from scipy.spatial import cKDTree  # half a second that few need

    count = len(positions)
    near = min(_NEAR, count - 1)
    if near < 1:
        return np.zeros((0, 2), np.int32)
    _, found = cKDTree(positions).query(positions, near + 1)
    ends = np.stack([np.repeat(np.arange(count), near), found[:, 1:].reshape(-1)], axis=1)
    ends = ends[ends[:, 0] != ends[:, 1]]
    return np.unique(np.sort(ends, axis=1), axis=0).astype(np.int32)


def _unit(vectors: Floats) -> Floats:
    lengths = np.sqrt(np.einsum("ij,ij->i", vectors, vectors))
    return np.asarray(vectors / np.maximum(lengths, np.float32(1e-20))[:, None], np.float32)


def through_uvs(geometry: Geometry, domain: Domain, sample: Callable[[Floats], Floats]) -> Floats | None:
    """Values sampled at the UVs of the elements, float32 (n,); None without UVs.

    UVs at corners are sampled there and averaged, so that seams do not blur.
    """
    for own in (Domain.CORNER, Domain.POINT):
        uv = geometry.attribute(own, "uv")
        if uv is not None:
            values = sample(np.ascontiguousarray(uv[:, :2], np.float32))
            return converted(geometry, values, own, domain)
    return None
