"""Convex hulls of pieces with their mass: computed once, and kept with the shape at rest."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull, QhullError, cKDTree

from estompe.kernels.rigid.arrays import Hulls
from estompe.kernels.types import Indices

Reals = NDArray[np.float64]
Wholes = NDArray[np.int64]
MOST_CORNERS = 60
_FLAT, _THICK = 0.02, 0.04
_ALIKE = 1e-5


class Solids(NamedTuple):
    """Hulls, where the centre of mass of each lay, float64 (h, 3), volumes, and inertia for a density of 1, (h, 3, 3)."""

    hulls: Hulls
    centre: Reals
    volume: Reals
    inertia: Reals


class _Triangles(NamedTuple):
    """The triangles of all hulls. corners: float64 (c, 3); of_corner, of: the hull of each corner and triangle; triangles: int64
    (t, 3), outwards; planes: float64 (t, 4); neighbours: int64 (t, 3)."""

    corners: Reals
    of_corner: Wholes
    triangles: Wholes
    of: Wholes
    planes: Reals
    neighbours: Wholes


def solids_of(clouds: list[Reals]) -> Solids:
    """The convex hulls of clouds of points, float64 (n, 3) each, with their mass. Flat ones and lines get some thickness."""
    found = _triangles_of(clouds)
    count = len(clouds)
    centre, volume, inertia = _masses(found, count)
    corners = found.corners - centre[found.of_corner]
    face = _flat_faces(found, count)
    return Solids(_laid(found, corners, face, count), centre, volume, inertia)


def _triangles_of(clouds: list[Reals]) -> _Triangles:
    rows: list[list[NDArray[Any]]] = [[] for _ in range(6)]
    corners_before = triangles_before = 0
    for number, cloud in enumerate(clouds):
        points = _thinned(_thickened(np.asarray(cloud, np.float64)))
        hull = _hull_of(points)
        local = np.full(len(points), -1)
        local[hull.vertices] = np.arange(len(hull.vertices))
        parts = (
            points[hull.vertices], np.full(len(hull.vertices), number), local[hull.simplices] + corners_before,
            np.full(len(hull.simplices), number), hull.equations, hull.neighbors + triangles_before,
        )  # fmt: skip
        for row, part in zip(rows, parts, strict=True):
            row.append(part)
        corners_before += len(hull.vertices)
        triangles_before += len(hull.simplices)
    widths = ((3, float), (0, int), (3, int), (0, int), (4, float), (3, int))
    arrays = [
        np.concatenate(row) if row else np.zeros((0, width) if width else 0, kind)
        for row, (width, kind) in zip(rows, widths, strict=True)
    ]
    corners, of_corner, triangles, of, planes, neighbours = arrays
    a, b, c = (corners[triangles[:, k]] for k in range(3))
    inwards = np.einsum("ij,ij->i", np.cross(b - a, c - a), planes[:, :3]) < 0.0
    triangles = np.where(inwards[:, None], triangles[:, [0, 2, 1]], triangles)
    return _Triangles(corners, of_corner, triangles, of, planes, neighbours)


def _hull_of(points: Reals) -> ConvexHull:
    try:
        return ConvexHull(points)
    except QhullError:
        return ConvexHull(points, qhull_options="QJ")


def _thickened(points: Reals) -> Reals:
    """Points that lie flat, or along a line, twice, a little apart along the directions in which they have no extent."""
    away = points - points.mean(axis=0)
    axes = np.linalg.eigh(away.T @ away)[1].T
    extents = np.ptp(away @ axes.T, axis=0)
    largest = float(extents.max(initial=0.0)) or 1e-3
    for axis in axes[extents < _FLAT * largest]:
        step = 0.5 * _THICK * largest * axis
        points = np.concatenate([points - step, points + step])
    return points


def _thinned(points: Reals) -> Reals:
    """At most as many corners as loops have room for: the farthest points along even directions."""
    if len(points) <= MOST_CORNERS:
        return points
    number = np.arange(MOST_CORNERS) + 0.5
    height, around = 1.0 - 2.0 * number / MOST_CORNERS, number * np.pi * (3.0 - np.sqrt(5.0))
    across = np.sqrt(1.0 - height * height)
    directions = np.stack([across * np.cos(around), height, across * np.sin(around)], axis=1)
    return np.asarray(points[np.unique((points @ directions.T).argmax(axis=0))])


def summed(values: Reals, of: NDArray[np.integer[Any]], count: int) -> Reals:
    """Sums of rows by number, float64 (count, k)."""
    flat = values.reshape(len(values), -1)
    return np.stack([np.bincount(of, column, count) for column in flat.T], axis=1)


def _masses(found: _Triangles, count: int) -> tuple[Reals, Reals, Reals]:
    """Centres of mass, volumes, and inertia about the centres, for a density of 1.

    Sums over the tetrahedra to one point of each hull (Tonon 2004, doi:10.3844/jmssp.2005.8.11).
    """
    first = np.searchsorted(found.of_corner, np.arange(count))
    origin = found.corners[first]
    a, b, c = (found.corners[found.triangles[:, k]] - origin[found.of] for k in range(3))
    sixth = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0
    volume = np.maximum(np.bincount(found.of, sixth, count), 1e-30)
    middle = summed((a + b + c) / 4.0 * sixth[:, None], found.of, count) / volume[:, None]
    away = middle[found.of]
    a, b, c = a - away, b - away, c - away
    second = np.zeros((len(sixth), 3, 3))
    for corner in (a, b, c, -away, a + b + c - away):
        second += np.einsum("i,ij,ik->ijk", sixth, corner, corner) / 20.0
    moments = summed(second, found.of, count).reshape(-1, 3, 3)
    return origin + middle, volume, np.trace(moments, axis1=1, axis2=2)[:, None, None] * np.eye(3) - moments


def _flat_faces(found: _Triangles, count: int) -> Wholes:
    """A number for each triangle, the same for neighbours in one plane, in the order of the hulls."""
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, found.of_corner, found.corners)
    np.maximum.at(high, found.of_corner, found.corners)
    size = (high - low).max(axis=1, initial=0.0)[found.of]
    number = np.repeat(np.arange(len(found.of)), 3)
    beside = found.neighbours.reshape(-1)
    apart = np.abs(found.planes[number] - found.planes[beside])
    flat = (apart[:, :3].max(axis=1, initial=0.0) < _ALIKE) & (apart[:, 3] < _ALIKE * size[number] + 1e-12)
    joined = coo_array((np.ones(int(flat.sum())), (number[flat], beside[flat])), shape=(len(found.of),) * 2)
    label = connected_components(joined, directed=False)[1]
    # Numbered by their first triangles, so that the faces of a hull stand together.
    _, first, inverse = np.unique(label, return_index=True, return_inverse=True)
    rank = np.empty(len(first), np.int64)
    rank[np.argsort(first, kind="stable")] = np.arange(len(first))
    return rank[inverse.reshape(-1)]


def _laid(found: _Triangles, corners: Reals, face: Wholes, count: int) -> Hulls:
    """Hulls as loops read them. corners: about the centres; face: the flat face of each triangle."""
    faces = int(face.max(initial=-1)) + 1
    a, b, c = (corners[found.triangles[:, k]] for k in range(3))
    normals = summed(np.cross(b - a, c - a), face, faces)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    hull_of_face = np.zeros(faces, np.int64)
    hull_of_face[face] = found.of
    loops, of_loop = _loops(found, corners, face, normals)
    offset = np.full(faces, -np.inf)
    np.maximum.at(offset, of_loop, np.einsum("ij,ij->i", corners[loops], normals[of_loop]))
    ends, sides = _edges(loops, of_loop)
    hull_of_edge = hull_of_face[sides[:, 0]]
    order = np.argsort(hull_of_edge, kind="stable")
    ends, sides, hull_of_edge = ends[order], sides[order], hull_of_edge[order]
    folds = np.cross(normals[sides[:, 1]], normals[sides[:, 0]])
    radius = np.zeros(count)
    np.maximum.at(radius, found.of_corner, np.linalg.norm(corners, axis=1))
    return Hulls(
        _starts(found.of_corner, count), corners, _starts(hull_of_face, count), np.column_stack([normals, offset]),
        _starts(of_loop, faces), loops.astype(np.int32), _starts(hull_of_edge, count), ends.astype(np.int32),
        sides.astype(np.int32), folds, radius,
    )  # fmt: skip


def _starts(of: Wholes, count: int) -> Indices:
    return np.searchsorted(of, np.arange(count + 1)).astype(np.int32)


def _loops(found: _Triangles, corners: Reals, face: Wholes, normals: Reals) -> tuple[Wholes, Wholes]:
    """The corners of faces counter-clockwise from outside, and the face of each."""
    pairs = np.unique(np.stack([np.repeat(face, 3), found.triangles.reshape(-1)], axis=1), axis=0)
    of, corner = pairs[:, 0], pairs[:, 1]
    count = len(normals)
    middle = summed(corners[corner], of, count) / np.maximum(np.bincount(of, minlength=count), 1)[:, None]
    around = corners[corner] - middle[of]
    x = around[np.searchsorted(of, np.arange(count))]
    x = x - np.einsum("ij,ij->i", x, normals)[:, None] * normals
    y = np.cross(normals, x)
    angle = np.arctan2(np.einsum("ij,ij->i", around, y[of]), np.einsum("ij,ij->i", around, x[of]))
    order = np.lexsort((corner, angle, of))
    return corner[order], of[order]


def _edges(loops: Wholes, of: Wholes) -> tuple[Wholes, Wholes]:
    """The edges between faces: their corners, and the faces on both sides."""
    after = np.arange(len(loops)) + 1
    last = np.flatnonzero(np.append(of[1:] != of[:-1], True)) if len(of) else np.zeros(0, np.int64)
    after[last] = np.concatenate([[0], last[:-1] + 1])[: len(last)]
    one, other = loops, loops[after]
    most = int(loops.max(initial=0)) + 1
    keys, backwards = one * most + other, other * most + one
    order = np.argsort(keys, kind="stable")
    slot = np.minimum(np.searchsorted(keys[order], backwards), max(len(keys) - 1, 0))
    twin = order[slot] if len(keys) else slot
    chosen = np.flatnonzero((one < other) & (keys[twin] == backwards))
    return np.stack([one[chosen], other[chosen]], axis=1), np.stack([of[chosen], of[twin[chosen]]], axis=1)


def joined(every: list[Hulls]) -> Hulls:
    """Hulls one after the other."""
    points = np.cumsum([0, *(len(hulls.points) for hulls in every)])
    faces = np.cumsum([0, *(len(hulls.planes) for hulls in every)])

    def starts(name: str, counted: str) -> Indices:
        ends = np.cumsum([0, *(len(getattr(hulls, counted)) for hulls in every)])
        parts = [getattr(hulls, name)[1:] + step for hulls, step in zip(every, ends, strict=False)]
        return np.concatenate([[0], *parts]).astype(np.int32)

    def moved(name: str, steps: Wholes) -> Indices:
        parts = [getattr(hulls, name) + step for hulls, step in zip(every, steps, strict=False)]
        return np.concatenate(parts).astype(np.int32)

    def plain(name: str) -> Reals:
        return np.concatenate([getattr(hulls, name) for hulls in every])

    return Hulls(
        starts("point_starts", "points"), plain("points"), starts("face_starts", "planes"), plain("planes"),
        starts("loop_starts", "loops"), moved("loops", points), starts("edge_starts", "ends"), moved("ends", points),
        moved("sides", faces), plain("folds"), plain("radius"),
    )  # fmt: skip


def shared_faces(middles: Reals, normals: Reals, of: Indices) -> Wholes:
    """Pairs of faces that lie on each other and look against each other, of two pieces, int64 (m, 2).

    Parameters
    ----------
    middles, normals : float64 (f, 3)
        Of faces, scene units and unit vectors.
    of : int32 (f,)
        Their pieces.
    """
    if len(middles) < 2:
        return np.zeros((0, 2), np.int64)
    near = 1e-4 * float(np.ptp(middles, axis=0).max()) + 1e-12
    pairs = cKDTree(middles).query_pairs(near, output_type="ndarray")
    against = np.einsum("ij,ij->i", normals[pairs[:, 0]], normals[pairs[:, 1]]) < -0.99
    chosen = pairs[against & (of[pairs[:, 0]] != of[pairs[:, 1]])]
    return np.asarray(chosen[np.lexsort(chosen.T[::-1])], np.int64)
