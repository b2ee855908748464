"""Splitting faces into quads, all of them or some; neighbours of split faces get the new points as corners.

Rounded places are those of Catmull and Clark, "Recursively Generated B-Spline Surfaces on Arbitrary Topological Meshes"
(1978), doi:10.1016/0010-4485(78)90110-0; open borders and hard edges stay as curves of their own (creases: Hoppe et al.,
"Piecewise Smooth Surface Reconstruction", 1994, doi:10.1145/192161.192233).
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.pieces import Pieces
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Topology
from estompe.kernels.mixing import Mix, mixed
from estompe.kernels.types import Floats, Indices, frozen

_Whole = NDArray[np.int64]
# Not names that anyone would give.
_REST, _ROUNDED = (Domain.POINT, "\0rest"), (Domain.POINT, "\0rounded")


class _Edges(NamedTuple):
    """pairs: (e, 2); of_corner: the edge from each corner to the next; uses: faces of each; split: which get a middle."""

    pairs: _Whole
    of_corner: _Whole
    uses: _Whole
    split: NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class _Split:
    """What a split makes whatever the places are. parents: the old face of each new one, int64.

    sources: two old corners for each new one, whose values' mean it gets, or -1 and a face; int32 (corners, 2).
    carried: what arrays were made into last, with the array, by domain and name: most stay as they are for all frames.
    """

    before: Topology
    topology: Topology
    points: Mix
    rounded: Mix | None
    sources: Indices
    parents: _Whole
    carried: dict[tuple[Domain, str], tuple[NDArray[Any], NDArray[Any]]] = field(default_factory=dict)

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held here, for counting memory."""
        yield self.sources
        yield self.parents
        for mix in (self.points, self.rounded):
            yield from mix if mix is not None else ()
        for pair in list(self.carried.values()):
            yield pair[1]
        yield from self.topology.arrays()

    def carry(self, key: tuple[Domain, str], values: NDArray[Any]) -> NDArray[Any]:
        """An attribute on the new elements; the same array as before for the same values."""
        known = self.carried.get(key)
        if known is None or known[0] is not values:
            known = self.carried[key] = values, frozen(self._carried(key[0], values))
        return known[1]

    def _carried(self, domain: Domain, values: NDArray[Any]) -> NDArray[Any]:
        if domain is Domain.WHOLE:
            return values
        if domain is Domain.FACE:
            return np.asarray(values[self.parents])
        flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
        made = mixed(flat, self.points) if domain is Domain.POINT else self._corners(flat)
        shaped = made.reshape(len(made), *values.shape[1:])
        return shaped >= 0.5 if values.dtype == np.bool_ else shaped.astype(values.dtype, copy=False)

    def _corners(self, flat: Floats) -> Floats:
        sizes = np.diff(self.before.offsets)
        every, weights = np.arange(len(flat), dtype=np.int32), np.repeat(1.0 / np.maximum(sizes, 1), sizes)
        means = mixed(flat, Mix(self.before.offsets, frozen(every), frozen(weights.astype(np.float32))))
        first, second = self.sources.T
        whole = first < 0
        made = (flat[np.where(whole, 0, first)] + flat[np.where(whole, 0, second)]) * np.float32(0.5)
        made[whole] = means[second[whole]]
        return made


def subdivided(mesh: Geometry, faces: NDArray[np.bool_], rounded: NDArray[np.float32] | None) -> Geometry:
    """Each chosen face split into quads about its middle.

    faces: bool (faces,); rounded: per point, how far old and new points go to their Catmull-Clark places, 0..1, or None to
    stay on the faces. Attributes of points and corners are averaged, those of faces repeated. What does not depend on
    places is found once and kept with the topology, so that later frames only mix.
    """
    if not faces.any():
        return mesh
    creases = None if mesh.shading is None or rounded is None else mesh.shading.topology
    key = "split", faces.tobytes(), rounded is not None, creases
    split: _Split = mesh.topology.derived(key, lambda: _split(mesh.topology, faces, rounded is not None, creases))
    points = mixed(mesh.points, split.points)
    if rounded is not None and split.rounded is not None:
        points += split.carry(_ROUNDED, rounded)[:, None] * (mixed(mesh.points, split.rounded) - points)
    attributes = {key: split.carry(key, values) for key, values in mesh.attributes.items()}
    return Geometry(points, split.topology, attributes, Rest(split.carry(_REST, mesh.rest)), axes=mesh.piece_axes)


def _split(topology: Topology, faces: NDArray[np.bool_], rounded: bool, creases: Topology | None) -> _Split:
    """creases: the same faces over points that are there once for each side of a hard edge, where there are any."""
    corners, offsets = topology.corners.astype(np.int64), topology.offsets.astype(np.int64)
    owner = topology.corner_faces.astype(np.int64)
    edges = _edges(corners, offsets, owner, faces, topology.points)
    # New points: old ones first, then the middles of split edges, then of split faces.
    edge_point = topology.points + np.cumsum(edges.split) - 1
    face_point = topology.points + int(edges.split.sum()) + np.cumsum(faces) - 1
    laid, sources, new_sizes, parents = _laid(corners, offsets, edges, faces, edge_point, face_point)
    mixes = _Mixes(topology, edges, faces)
    mix = mixes.points()
    made = Topology(
        frozen(laid.astype(np.int32)),
        frozen(np.concatenate([[0], np.cumsum(new_sizes)]).astype(np.int32)),
        topology.points + int(edges.split.sum()) + int(faces.sum()),
        _parted(topology, mix),
    )
    rounding = mixes.rounded(_hard(edges, creases)) if rounded else None
    return _Split(topology, made, mix, rounding, sources.astype(np.int32), parents)


def _parted(topology: Topology, mix: Mix) -> Pieces | None:
    """The pieces with the new points in them: each belongs to the piece of what it is mixed from."""
    before = topology.parted
    if before is None:
        return None
    of = before.of[mix.members[mix.starts[:-1]]]
    return Pieces(frozen(of), before.ids, before.rank, before.word, pairs=before.pairs)


def _edges(corners: _Whole, offsets: _Whole, owner: _Whole, faces: NDArray[np.bool_], points: int) -> _Edges:
    following = corners[_next(offsets, len(corners))]
    low, high = np.minimum(corners, following), np.maximum(corners, following)
    codes, of_corner, uses = np.unique(low * points + high, return_inverse=True, return_counts=True)
    split = np.zeros(len(codes), np.bool_)
    split[of_corner[faces[owner]]] = True
    return _Edges(np.stack([codes // points, codes % points], axis=1), of_corner, uses, split)


def _hard(edges: _Edges, creases: Topology | None) -> NDArray[np.bool_]:
    """Edges whose two faces have points of their own there."""
    hard = np.zeros(len(edges.pairs), np.bool_)
    if creases is not None:
        corners, offsets = creases.corners.astype(np.int64), creases.offsets.astype(np.int64)
        none = np.zeros(creases.faces, np.bool_)
        apart = _edges(corners, offsets, creases.corner_faces.astype(np.int64), none, creases.points)
        hard[edges.of_corner[apart.uses[apart.of_corner] == 1]] = True
    return hard


def _next(offsets: _Whole, count: int) -> _Whole:
    """The corner that follows each one around its face."""
    following = np.arange(1, count + 1)
    sizes = np.diff(offsets)
    following[offsets[1:][sizes > 0] - 1] = offsets[:-1][sizes > 0]
    return following


def _laid(
    corners: _Whole, offsets: _Whole, edges: _Edges, faces: NDArray[np.bool_], edge_point: _Whole, face_point: _Whole
) -> tuple[_Whole, _Whole, _Whole, _Whole]:
    """New corners; for each of them four old corners whose mean it is; the new faces' sizes; each one's old face."""
    count = len(corners)
    following = _next(offsets, count)
    before = np.empty(count, np.int64)
    before[following] = np.arange(count)
    owner = np.repeat(np.arange(len(faces)), np.diff(offsets))
    here = np.flatnonzero(faces[owner])
    quads = np.stack([corners[here], edge_point[edges.of_corner[here]], face_point[owner[here]],
                      edge_point[edges.of_corner[before[here]]]], axis=1)  # fmt: skip
    # Corner values: its own, the mean along the edge, that of the whole face (told by -1), the mean along the edge before.
    quad_sources = np.stack([np.stack([here, here], 1), np.stack([here, following[here]], 1),
                             np.stack([np.full_like(here, -1), owner[here]], 1),
                             np.stack([before[here], here], 1)], axis=1)  # fmt: skip
    kept, kept_sources, kept_sizes, kept_parents = _neighbours(corners, edges, faces, edge_point, following, owner)
    laid = np.concatenate([quads.reshape(-1), kept])
    sources = np.concatenate([quad_sources.reshape(-1, 2), kept_sources])
    sizes = np.concatenate([np.full(len(here), 4), kept_sizes])
    return laid, sources, sizes, np.concatenate([owner[here], kept_parents])


def _neighbours(
    corners: _Whole,
    edges: _Edges,
    faces: NDArray[np.bool_],
    edge_point: _Whole,
    following: _Whole,
    owner: _Whole,
) -> tuple[_Whole, _Whole, _Whole, _Whole]:
    """The faces that are not split, with the middles of split edges between their corners."""
    there = np.flatnonzero(~faces[owner])
    extra = edges.split[edges.of_corner[there]]
    counts = 1 + extra.astype(np.int64)
    at = np.cumsum(counts) - counts
    laid = np.empty(int(counts.sum()), np.int64)
    sources = np.empty((len(laid), 2), np.int64)
    laid[at], sources[at] = corners[there], np.stack([there, there], 1)
    middle = there[extra]
    laid[at[extra] + 1] = edge_point[edges.of_corner[middle]]
    sources[at[extra] + 1] = np.stack([middle, following[middle]], 1)
    parents = np.flatnonzero(~faces)
    sizes = np.bincount(owner[there], counts, minlength=len(faces)).astype(np.int64)[parents]
    return laid, sources, sizes, parents


class _Mixes:
    """What new values are mixed from, as products of sparse matrices: faces, edges and points over points or corners."""

    def __init__(self, topology: Topology, edges: _Edges, faces: NDArray[np.bool_]) -> None:
        from scipy import sparse  # half a second that only those who split should wait

        self._sparse = sparse
        self._topology, self._edges, self._faces = topology, edges, faces
        sizes = np.maximum(np.diff(topology.offsets), 1)
        weights = np.repeat(1.0 / sizes, np.diff(topology.offsets))
        self._face_means = sparse.csr_matrix(
            (weights, topology.corners, topology.offsets), (topology.faces, topology.points)
        )
        self._middles = self._rows(
            np.full(2 * len(edges.pairs), 0.5),
            np.repeat(np.arange(len(edges.pairs)), 2),
            edges.pairs.reshape(-1),
            len(edges.pairs),
        )

    def _rows(self, weights: NDArray[np.float64], rows: NDArray[Any], columns: NDArray[Any], count: int) -> Any:
        return self._sparse.csr_matrix((weights, (rows, columns)), (count, self._topology.points))

    def points(self) -> Mix:
        """Old points, middles of split edges, middles of split faces."""
        same = self._sparse.identity(self._topology.points, format="csr")
        return self._mix([same, self._middles[self._edges.split], self._face_means[self._faces]])

    def rounded(self, hard: NDArray[np.bool_]) -> Mix:
        """The Catmull-Clark places of old points, middles of edges and middles of faces. hard: edges that stay."""
        edges, border = self._edges, (self._edges.uses != 2) | hard
        ones = np.ones(len(edges.of_corner))
        shape = len(edges.pairs), self._topology.faces
        beside = self._sparse.csr_matrix((ones, (edges.of_corner, self._topology.corner_faces)), shape)
        inner = (self._middles * 2 + beside @ self._face_means) / 4
        places = self._where(border, self._middles, inner)
        old = self._old_places(border, hard)
        return self._mix([old, places[edges.split], self._face_means[self._faces]])

    def _old_places(self, border: NDArray[np.bool_], hard: NDArray[np.bool_]) -> Any:
        n, edges = self._topology.points, self._edges
        same = self._sparse.identity(n, format="csr")
        valence = np.bincount(self._topology.corners, minlength=n)
        ends = edges.pairs.reshape(-1)
        over = 1.0 / np.maximum(valence, 1)
        faces_at = self._sparse.csr_matrix(
            (over[self._topology.corners], (self._topology.corners, self._topology.corner_faces)),
            (n, self._topology.faces),
        )
        edge_over = 1.0 / np.maximum(np.bincount(ends, minlength=n), 1)
        edges_at = self._at(edges.pairs, edge_over)
        inner = self._scaled(
            over, faces_at @ self._face_means + 2 * (edges_at @ self._middles) + self._scaled(valence - 3.0, same)
        )
        # A crease: half the point, a quarter of the middles on either side; a corner of the border stays.
        border_ends, hard_ends = (np.bincount(edges.pairs[own].reshape(-1), minlength=n) for own in (border, hard))
        # Where a single hard edge ends on the surface, the point is one of the surface.
        border_ends[(border_ends == 1) & (hard_ends == 1)] = 0
        crease = same / 2 + self._at(edges.pairs, np.full(n, 0.25), border) @ self._middles
        stays = (valence == 0) | ((border_ends > 0) & ~((border_ends == 2) & (valence > 1)))
        return self._where(stays, same, self._where(border_ends > 0, crease, inner))

    def _at(self, pairs: _Whole, weights: NDArray[np.float64], chosen: NDArray[np.bool_] | None = None) -> Any:
        """The edges at each point, or the chosen ones, with a fraction per point."""
        count = len(pairs)
        numbers = np.arange(count) if chosen is None else np.flatnonzero(chosen)
        ends = pairs[numbers].reshape(-1)
        return self._sparse.csr_matrix((weights[ends], (ends, np.repeat(numbers, 2))), (self._topology.points, count))

    def _scaled(self, factors: NDArray[Any], rows: Any) -> Any:
        return self._sparse.diags(np.asarray(factors, np.float64)) @ rows

    def _where(self, which: NDArray[np.bool_], rows: Any, others: Any) -> Any:
        return self._scaled(which, rows) + self._scaled(~which, others)

    def _mix(self, parts: list[Any]) -> Mix:
        whole = self._sparse.vstack(parts, format="csr")
        whole.eliminate_zeros()
        whole.sort_indices()
        starts, members = whole.indptr.astype(np.int32), whole.indices.astype(np.int32)
        return Mix(frozen(starts), frozen(members), frozen(whole.data.astype(np.float32)))
