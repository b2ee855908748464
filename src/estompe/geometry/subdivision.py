"""Splitting faces into quads, all of them or some; neighbours of split faces get the new points as corners.

Rounded places are those of Catmull and Clark, "Recursively Generated B-Spline Surfaces on Arbitrary Topological Meshes"
(1978), doi:10.1016/0010-4485(78)90110-0; open borders stay as curves of their own (creases).
"""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry, frozen
from estompe.geometry.topology import Topology

_Floats = NDArray[np.float64]
_Whole = NDArray[np.int64]


class _Edges(NamedTuple):
    """pairs: (e, 2); of_corner: the edge from each corner to the next; uses: faces of each; split: which get a middle."""

    pairs: _Whole
    of_corner: _Whole
    uses: _Whole
    split: NDArray[np.bool_]


def subdivided(mesh: Geometry, faces: NDArray[np.bool_], rounded: NDArray[np.float32] | None) -> Geometry:
    """Each chosen face split into quads about its middle.

    faces: bool (faces,); rounded: per point, how far old and new points go to their Catmull-Clark places, 0..1, or None to
    stay on the faces. Attributes of points and corners are averaged, those of faces repeated.
    """
    if not faces.any():
        return mesh
    topology = mesh.topology
    corners, offsets = topology.corners.astype(np.int64), topology.offsets.astype(np.int64)
    sizes = np.diff(offsets)
    owner = topology.corner_faces.astype(np.int64)
    edges = _edges(corners, offsets, owner, faces, len(mesh.points))
    # New points: old ones first, then the middles of split edges, then of split faces.
    edge_point = len(mesh.points) + np.cumsum(edges.split) - 1
    face_point = len(mesh.points) + int(edges.split.sum()) + np.cumsum(faces) - 1
    blend = _Blend(corners, owner, sizes, edges, faces)
    laid, sources, new_sizes, parents = _laid(corners, offsets, edges, faces, edge_point, face_point)
    points = blend.points(mesh.points.astype(np.float64))
    if rounded is not None:
        weight = blend.points(rounded.astype(np.float64)[:, None])
        points = points + weight * (_rounded(mesh.points.astype(np.float64), blend, edges, faces) - points)
    rest = blend.points(mesh.rest.astype(np.float64)).astype(np.float32)
    made = Topology(
        frozen(laid.astype(np.int32)),
        frozen(np.concatenate([[0], np.cumsum(new_sizes)]).astype(np.int32)),
        len(points),
    )
    attributes = {
        key: frozen(_carried(key[0], values, blend, sources, parents)) for key, values in mesh.attributes.items()
    }
    return Geometry(points.astype(np.float32), made, attributes, frozen(rest))


def _edges(corners: _Whole, offsets: _Whole, owner: _Whole, faces: NDArray[np.bool_], points: int) -> _Edges:
    following = corners[_next(offsets, len(corners))]
    low, high = np.minimum(corners, following), np.maximum(corners, following)
    codes, of_corner, uses = np.unique(low * points + high, return_inverse=True, return_counts=True)
    split = np.zeros(len(codes), np.bool_)
    split[of_corner[faces[owner]]] = True
    return _Edges(np.stack([codes // points, codes % points], axis=1), of_corner, uses, split)


def _next(offsets: _Whole, count: int) -> _Whole:
    """The corner that follows each one around its face."""
    following = np.arange(1, count + 1)
    sizes = np.diff(offsets)
    following[offsets[1:][sizes > 0] - 1] = offsets[:-1][sizes > 0]
    return following


class _Blend:
    """Values on new points as means of old ones."""

    def __init__(self, corners: _Whole, owner: _Whole, sizes: _Whole, edges: _Edges, faces: NDArray[np.bool_]) -> None:
        self.corners, self.owner, self.sizes, self.edges, self.faces = corners, owner, sizes, edges, faces

    def face_means(self, values: _Floats) -> _Floats:
        """The mean over each face's corners, (faces, k)."""
        return self.corner_means(values[self.corners])

    def corner_means(self, values: _Floats) -> _Floats:
        """The mean over each face of corner values, (corners, k) to (faces, k)."""
        sums = [np.bincount(self.owner, column, minlength=len(self.sizes)) for column in values.T]
        return np.stack(sums, axis=1) / np.maximum(self.sizes, 1)[:, None]

    def points(self, values: _Floats) -> _Floats:
        """Point values, (n, k), on old and new points."""
        middles = values[self.edges.pairs].mean(axis=1)[self.edges.split]
        return np.concatenate([values, middles, self.face_means(values)[self.faces]])


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


def _carried(domain: Domain, values: NDArray[Any], blend: _Blend, sources: _Whole, parents: _Whole) -> NDArray[Any]:
    if domain is Domain.WHOLE:
        return values
    if domain is Domain.FACE:
        return values[parents]
    flat = values.reshape(len(values), -1).astype(np.float64)
    if domain is Domain.POINT:
        made = blend.points(flat)
    else:
        means = blend.corner_means(flat)
        whole = sources[:, 0] < 0
        made = (flat[np.where(whole, 0, sources[:, 0])] + flat[np.where(whole, 0, sources[:, 1])]) / 2
        made[whole] = means[sources[whole, 1]]
    shaped = made.reshape(len(made), *values.shape[1:])
    return shaped >= 0.5 if values.dtype == np.bool_ else shaped.astype(values.dtype)


def _rounded(points: _Floats, blend: _Blend, edges: _Edges, faces: NDArray[np.bool_]) -> _Floats:
    """The Catmull-Clark places of old points, middles of edges and middles of faces."""
    means = blend.face_means(points)
    middles = points[edges.pairs].mean(axis=1)
    border = edges.uses != 2
    around = np.stack(
        [np.bincount(edges.of_corner, means[blend.owner, k], minlength=len(edges.pairs)) for k in range(3)], 1
    )
    edge_places = np.where(border[:, None], middles, (middles * 2 + around) / 4)
    return np.concatenate(
        [_old_places(points, blend, edges, means, middles, border), edge_places[edges.split], means[faces]]
    )


def _old_places(
    points: _Floats, blend: _Blend, edges: _Edges, means: _Floats, middles: _Floats, border: NDArray[np.bool_]
) -> _Floats:
    n = len(points)
    faces_around = np.bincount(blend.corners, minlength=n)
    face_mean = np.stack([np.bincount(blend.corners, means[blend.owner, k], minlength=n) for k in range(3)], axis=1)
    ends = edges.pairs.reshape(-1)
    both = np.repeat(middles, 2, axis=0)
    edge_count = np.bincount(ends, minlength=n)
    edge_mean = np.stack([np.bincount(ends, both[:, k], minlength=n) for k in range(3)], axis=1)
    valence = np.maximum(faces_around, 1)[:, None].astype(np.float64)
    inner = (
        face_mean / valence + 2 * edge_mean / np.maximum(edge_count, 1)[:, None] + (valence - 3) * points
    ) / valence
    on_border = np.zeros(n, np.bool_)
    on_border[edges.pairs[border].reshape(-1)] = True
    border_ends = edges.pairs[border].reshape(-1)
    border_both = np.repeat(middles[border], 2, axis=0)
    sums = np.stack([np.bincount(border_ends, border_both[:, k], minlength=n) for k in range(3)], axis=1)
    count = np.bincount(border_ends, minlength=n)
    # A crease: half the point, a quarter of the middles on either side; a corner of the border stays.
    crease = np.where(((count == 2) & (faces_around > 1))[:, None], points / 2 + sums / 4, points)
    alone = (faces_around == 0)[:, None]
    return np.where(alone, points, np.where(on_border[:, None], crease, inner))
