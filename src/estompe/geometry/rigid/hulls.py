"""Convex hulls of pieces with their mass: computed once, and kept with the shape at rest."""

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError, cKDTree

from estompe.kernels.rigid.arrays import Hulls
from estompe.kernels.types import Indices

Reals = NDArray[np.float64]
MOST_CORNERS = 60
_FLAT, _THICK = 0.02, 0.04
_ALIKE = 1e-5


class Body(NamedTuple):
    """One hull. corners: float64 (c, 3), about the centre of mass; triangles: int64 (t, 3), outwards; face: int64 (t,), the flat
    face of each triangle; centre: where the centre of mass lay; volume, inertia: for a density of 1."""

    corners: Reals
    triangles: NDArray[np.int64]
    face: NDArray[np.int64]
    normals: Reals
    centre: Reals
    volume: float
    inertia: Reals


def body_of(points: Reals) -> Body:
    """The convex hull of points, float64 (n, 3), with its mass. What is flat, or a line, gets a little thickness."""
    points = _thinned(_thickened(points))
    try:
        hull = ConvexHull(points)
    except QhullError:
        hull = ConvexHull(points, qhull_options="QJ")
    number = np.full(len(points), -1)
    number[hull.vertices] = np.arange(len(hull.vertices))
    corners = points[hull.vertices]
    triangles, normals = number[hull.simplices], np.array(hull.equations[:, :3])
    a, b, c = (corners[triangles[:, k]] for k in range(3))
    inwards = np.einsum("ij,ij->i", np.cross(b - a, c - a), normals) < 0.0
    triangles[inwards] = triangles[inwards][:, [0, 2, 1]]
    centre, volume, inertia = mass_of(corners, triangles)
    return Body(corners - centre, triangles, _flat_faces(hull), normals, centre, volume, inertia)


def mass_of(points: Reals, triangles: NDArray[np.int64]) -> tuple[Reals, float, Reals]:
    """The centre of mass, the volume and the inertia about that centre of a closed mesh, for a density of 1.

    Sums over the tetrahedra to one point (Tonon 2004, doi:10.3844/jmssp.2005.8.11).
    """
    origin = points[0]
    a, b, c = (points[triangles[:, k]] - origin for k in range(3))
    sixth = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0
    volume = max(float(sixth.sum()), 1e-30)
    middle = ((a + b + c) / 4.0 * sixth[:, None]).sum(axis=0) / volume
    a, b, c = a - middle, b - middle, c - middle
    corners = (a, b, c, np.broadcast_to(-middle, a.shape), a + b + c - middle)
    second = sum(np.einsum("i,ij,ik->jk", sixth, p, p) for p in corners) / 20.0
    return origin + middle, volume, np.trace(second) * np.eye(3) - second


def _thickened(points: Reals) -> Reals:
    """Points that lie flat, or along a line, twice, a little apart along the directions in which they have no extent."""
    points = np.unique(points, axis=0)
    axes = np.linalg.svd(points - points.mean(axis=0), full_matrices=True)[2] if len(points) > 1 else np.eye(3)
    extents = np.ptp(points @ axes.T, axis=0)
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


def _flat_faces(hull: ConvexHull) -> NDArray[np.int64]:
    """A number for each triangle, the same for neighbours in one plane."""
    size = float(np.ptp(hull.points, axis=0).max())
    face = np.full(len(hull.simplices), -1)
    count = 0
    for seed in range(len(face)):
        if face[seed] >= 0:
            continue
        face[seed], waiting = count, [seed]
        while waiting:
            for other in hull.neighbors[waiting.pop()]:
                apart = hull.equations[other] - hull.equations[seed]
                flat = np.abs(apart[:3]).max() < _ALIKE and abs(apart[3]) < _ALIKE * size
                if face[other] < 0 and flat:
                    face[other] = count
                    waiting.append(other)
        count += 1
    return face


class _Laid:
    """Hulls while they are laid one after the other."""

    def __init__(self) -> None:
        self.points: list[Reals] = []
        self.planes: list[Reals] = []
        self.loops: list[int] = []
        self.ends: list[tuple[int, int]] = []
        self.sides: list[tuple[int, int]] = []
        self.folds: list[Reals] = []
        self.radius: list[float] = []
        self.starts: tuple[list[int], ...] = ([0], [0], [0], [0])

    def add(self, body: Body) -> None:
        """Add a hull after the others."""
        point_starts, face_starts, _, edge_starts = self.starts
        first_point, first_face = point_starts[-1], face_starts[-1]
        normals, across = [], {}
        for face in range(int(body.face.max()) + 1):
            normal, loop = _loop(body, face)
            normals.append(normal)
            self._add_face(body, normal, loop, first_point)
            for i, j in zip(loop.tolist(), np.roll(loop, -1).tolist(), strict=True):
                across[i, j] = face
        for (i, j), face in across.items():
            other = across.get((j, i))
            if other is not None and i < j:
                self.ends.append((first_point + i, first_point + j))
                self.sides.append((first_face + face, first_face + other))
                self.folds.append(np.cross(normals[other], normals[face]))
        self.points.append(body.corners)
        self.radius.append(float(np.linalg.norm(body.corners, axis=1).max()))
        point_starts.append(first_point + len(body.corners))
        face_starts.append(first_face + len(normals))
        edge_starts.append(len(self.ends))

    def _add_face(self, body: Body, normal: Reals, loop: NDArray[np.int64], first_point: int) -> None:
        self.planes.append(np.array([*normal, float((body.corners[loop] @ normal).max())]))
        self.loops.extend((first_point + loop).tolist())
        self.starts[2].append(len(self.loops))

    def hulls(self) -> Hulls:
        """All of them."""
        starts = [np.array(item, np.int32) for item in self.starts]
        rows = np.concatenate(self.points) if self.points else np.zeros((0, 3))
        return Hulls(
            starts[0], rows, starts[1], _rows(self.planes, 4, np.float64), starts[2], np.array(self.loops, np.int32),
            starts[3], _rows(self.ends, 2, np.int32), _rows(self.sides, 2, np.int32),
            _rows(self.folds, 3, np.float64), np.array(self.radius),
        )  # fmt: skip


def _rows(rows: Sequence[Any], width: int, kind: type) -> NDArray[Any]:
    return np.array(rows, kind).reshape(-1, width)


def _loop(body: Body, face: int) -> tuple[Reals, NDArray[np.int64]]:
    """The normal of a flat face, and its corners counter-clockwise from outside."""
    chosen = np.flatnonzero(body.face == face)
    a, b, c = (body.corners[body.triangles[chosen, k]] for k in range(3))
    areas = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    normal = (body.normals[chosen] * areas[:, None]).sum(axis=0)
    normal = normal / max(float(np.linalg.norm(normal)), 1e-30)
    used = np.unique(body.triangles[chosen])
    around = body.corners[used] - body.corners[used].mean(axis=0)
    x = around[0] - (around[0] @ normal) * normal
    x = x / max(float(np.linalg.norm(x)), 1e-30)
    angle = np.arctan2(around @ np.cross(normal, x), around @ x)
    return normal, used[np.argsort(angle, kind="stable")]


def laid_out(bodies: list[Body]) -> Hulls:
    """Hulls as loops read them."""
    laid = _Laid()
    for body in bodies:
        laid.add(body)
    return laid.hulls()


def shared_faces(middles: Reals, normals: Reals, of: Indices) -> NDArray[np.int64]:
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
