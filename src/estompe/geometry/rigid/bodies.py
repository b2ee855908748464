"""The pieces of a mesh, or copies, as rigid bodies: hulls, masses, neighbours and the faces that they share."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.copies import Copies
from estompe.geometry.geometry import Geometry
from estompe.geometry.rigid import rotations
from estompe.geometry.rigid.hulls import Solids, shared_faces, solids_of, summed
from estompe.kernels.pieces import carried_points
from estompe.kernels.rigid.arrays import Bodies, Form, Hulls, Neighbours, Reach, Touches, pair_keys
from estompe.kernels.rigid.touching import near_pairs, touch
from estompe.kernels.types import Indices, frozen

Reals = NDArray[np.float64]
_TOUCHING = 0.02
_EDGE_SHARE = 0.3
_NONE = np.zeros(0, np.int64)


class Poses(NamedTuple):
    """Where bodies are: centres of mass, float64 (k, 3), scene units, and unit quaternions w x y z, float64 (k, 4)."""

    position: Reals
    rotation: Reals


class Bonds(NamedTuple):
    """Pairs of pieces that touch. pairs: int32 (m, 2); places: float64 (m, 3), at rest; areas: float64 (m,), shared."""

    pairs: Indices
    places: Reals
    areas: Reals


@dataclass(frozen=True, eq=False)
class RigidPieces:
    """Pieces as rigid bodies, at the size that they have when they are let go.

    hulls, hull: all hulls, and the number of each piece's, int64 (k,); centre: float64 (k, 3), where its centre of mass lies
    at rest, of copies in its own space; volume: float64 (k,); inertia: float64 (k, 3, 3), for a density of 1; offsets: float64
    (points, 3), of points from there, none of copies; stood: where the pieces were when neighbours and bonds were looked for.
    """

    hulls: Hulls
    hull: NDArray[np.int64]
    centre: Reals
    volume: Reals
    inertia: Reals
    offsets: Reals
    neighbours: Neighbours
    bonds: Bonds
    stood: Poses

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held here, for counting memory."""
        yield from (*self.hulls, *self.neighbours, *self.bonds, *self.stood)
        yield from (self.hull, self.centre, self.volume, self.inertia, self.offsets)

    @property
    def radius(self) -> Reals:
        """How far each piece reaches from its centre of mass, float64 (k,)."""
        return np.asarray(self.hulls.radius[self.hull])

    def poses(self, geometry: Geometry) -> Poses:
        """Where the pieces of a geometry are; of deformed ones the nearest rigid pose."""
        if isinstance(geometry, Copies):
            turns = _proper(geometry)[0]
            position = geometry.positions + np.einsum("kij,kj->ki", turns, self.centre)
            return Poses(position, rotations.quaternions(turns))
        return geometry.derived(("poses", self), lambda: self._fitted(geometry))

    def _fitted(self, geometry: Geometry) -> Poses:
        of, count = geometry.pieces.of, len(self.hull)
        points = geometry.points.astype(np.float64)
        middle, own = _means(points, of, count), _means(self.offsets, of, count)
        turns = rotations.fitted(self.offsets - own[of], points - middle[of], of, count)
        return Poses(middle - np.einsum("kij,kj->ki", turns, own), rotations.quaternions(turns))

    def placed(self, geometry: Geometry, poses: Poses, moved: NDArray[np.bool_]) -> Geometry:
        """A geometry with some of its pieces at other poses; the others keep every bit. moved: bool (k,)."""
        now = self.poses(geometry)
        turns = rotations.matrices(rotations.product(poses.rotation, rotations.inverse(now.rotation)))
        if isinstance(geometry, Copies):
            offsets = geometry.positions - now.position
            positions = poses.position + np.einsum("kij,kj->ki", turns, offsets)
            axes: Reals = turns @ geometry.axes.reshape(-1, 3, 3)
            return geometry.at(
                np.where(moved[:, None], positions, geometry.positions).astype(np.float32),
                np.where(moved[:, None], axes.reshape(-1, 9), geometry.axes).astype(np.float32),
            )
        flat = np.ascontiguousarray(turns.reshape(-1, 9), np.float32)
        points, normals = carried_points(
            geometry.points, geometry.normals, geometry.pieces.of, now.position.astype(np.float32),
            poses.position.astype(np.float32), (flat, flat), moved.astype(np.float32),
        )  # fmt: skip
        own = geometry.piece_axes
        if own is None:
            return geometry.moved(points, normals)
        carried = (turns @ own.reshape(-1, 3, 3)).reshape(-1, 9)
        return geometry.moved(points, normals, np.where(moved[:, None], carried, own).astype(np.float32))


def _means(values: Reals, of: Indices, count: int) -> Reals:
    return summed(values, of, count) / np.maximum(np.bincount(of, minlength=count), 1)[:, None]


def _proper(copies: Copies) -> tuple[Reals, Reals]:
    """The axes of copies as rotations, float64 (k, 3, 3), and their scales; a mirrored one has a negative first scale."""
    axes, scales = copies.axes.reshape(-1, 3, 3).astype(np.float64), copies.scales.astype(np.float64)
    flip = np.where(np.linalg.det(axes) < 0.0, -1.0, 1.0)
    axes[:, :, 0] *= flip[:, None]
    scales[:, 0] *= flip
    return axes, scales


def pieces_as_bodies(geometry: Geometry, linear: Reals, jointed: bool) -> RigidPieces:
    """The pieces of a mesh as bodies.

    Parameters
    ----------
    geometry : Geometry
    linear : float64 (3, 3)
        What sizes the shape at rest.
    jointed : bool
        Whether pieces that touch are bonded.
    """
    rest, of = geometry.rest.astype(np.float64) @ linear.T, geometry.pieces.of
    count = len(geometry.pieces)
    order = np.argsort(of, kind="stable")
    ends = np.cumsum(np.bincount(of, minlength=count))[:-1]
    solids = solids_of([rest[members] for members in np.split(order, ends)])
    centre = solids.centre
    still = Poses(centre, np.tile((1.0, 0.0, 0.0, 0.0), (count, 1)))
    hulls, hull = solids.hulls, np.arange(count)
    faces = _shared(geometry, rest)
    neighbours, bonds = _neighbours(hulls, hull, still, faces, jointed)
    return RigidPieces(
        hulls, hull, frozen(centre), *_masses(solids, hull), frozen(rest - centre[of]), neighbours, bonds, still
    )


def copies_as_bodies(copies: Copies, jointed: bool) -> RigidPieces:
    """Copies as bodies; those of one form and one size share a hull. jointed: whether copies that touch are bonded."""
    turns, scales = _proper(copies)
    rows = np.column_stack([copies.form.astype(np.float64), scales])
    kinds, hull = np.unique(rows, axis=0, return_inverse=True)
    clouds = [form.points.astype(np.float64) for form in copies.forms]
    solids = solids_of([clouds[int(row[0])] * row[1:] for row in kinds])
    hull = hull.reshape(-1).astype(np.int64)
    hulls, centre = solids.hulls, solids.centre[hull]
    poses = Poses(copies.positions + np.einsum("kij,kj->ki", turns, centre), rotations.quaternions(turns))
    bonds = _neighbours(hulls, hull, poses, {}, jointed)[1] if jointed else no_bonds()
    return RigidPieces(
        hulls, hull, frozen(centre), *_masses(solids, hull), np.zeros((0, 3)), no_neighbours(), bonds, poses
    )


def _masses(solids: Solids, hull: NDArray[np.int64]) -> tuple[Reals, Reals]:
    return frozen(solids.volume[hull]), frozen(solids.inertia[hull])


class _Shared(NamedTuple):
    """A face that two pieces share. corners: float64 (c, 3); normal: from the first piece to the second."""

    corners: Reals
    normal: Reals
    area: float
    middle: Reals


def _shared(geometry: Geometry, rest: Reals) -> dict[tuple[int, int], list[_Shared]]:
    """The faces that pieces share at rest, by pair."""
    topology, of = geometry.topology, geometry.pieces.of
    if not topology.faces or topology.pieces.word != "cell":
        return {}
    normals, areas, middles = _faces(rest, topology.corners, topology.offsets)
    owners = of[topology.corners[topology.offsets[:-1]]]
    shared: dict[tuple[int, int], list[_Shared]] = {}
    for one, other in shared_faces(middles, normals, owners):
        if owners[one] > owners[other]:
            one, other = other, one
        corners = rest[topology.corners[topology.offsets[one] : topology.offsets[one + 1]]]
        face = _Shared(corners, normals[one], float(areas[one]), middles[one])
        shared.setdefault((int(owners[one]), int(owners[other])), []).append(face)
    return shared


def _faces(points: Reals, corners: Indices, offsets: Indices) -> tuple[Reals, Reals, Reals]:
    """Unit normals, areas and the mean corners of faces."""
    sizes = np.diff(offsets)
    of = np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)
    after = np.arange(len(corners)) + 1
    after[offsets[1:] - 1] = offsets[:-1]
    middles = _means(points[corners], of, len(sizes))
    near = points[corners] - middles[of]
    doubled = np.cross(near, near[after])
    sums = summed(doubled, of, len(sizes))
    lengths = np.linalg.norm(sums, axis=1)
    return sums / np.maximum(lengths, 1e-300)[:, None], 0.5 * lengths, middles


def _neighbours(
    hulls: Hulls,
    hull: NDArray[np.int64],
    poses: Poses,
    faces: dict[tuple[int, int], list[_Shared]],
    jointed: bool,
) -> tuple[Neighbours, Bonds]:
    """Pieces that touch at these poses: by the faces they share, else by where their hulls meet."""
    pairs, touches = _touching(hulls, hull, poses)
    known = {(int(a), int(b)): k for k, (a, b) in enumerate(pairs)}
    every = sorted({*known, *faces})
    radius = hulls.radius[hull]
    counts, places = np.zeros(len(every), np.int64), np.zeros((len(every), 4, 3))
    normals, overlap = np.zeros((len(every), 3)), np.zeros(len(every))
    middles, areas = np.zeros((len(every), 3)), np.zeros(len(every))
    for row, pair in enumerate(every):
        slot, shared = known.get(pair), faces.get(pair)
        if slot is not None:
            count = touches.counts[slot]
            overlap[row] = max(0.0, -float(touches.gaps[slot, :count].min()))
            places[row, 0] = middles[row] = touches.places[slot, :count].mean(axis=0)
            if jointed:
                least = (_EDGE_SHARE * float(radius[list(pair)].min())) ** 2
                areas[row] = max(least, _area(touches.places[slot, :count], touches.normals[slot]))
        if shared is not None:
            chosen, normals[row] = _four_corners(shared)
            counts[row], places[row, : len(chosen)] = len(chosen), chosen
            areas[row] = sum(face.area for face in shared)
            middles[row] = sum(face.middle * face.area for face in shared) / max(areas[row], 1e-300)
    pairs = np.array(every, np.int32).reshape(-1, 2)
    centres = np.ascontiguousarray(poses.position)
    bonds = Bonds(frozen(pairs), frozen(middles), frozen(areas)) if jointed else no_bonds()
    arrays = (pair_keys(pairs), counts, places, normals, overlap, centres)
    return Neighbours(*(frozen(array) for array in arrays)), bonds


def _area(places: Reals, normal: Reals) -> float:
    """The area of the flat polygon whose corners are places around their middle."""
    if len(places) < 3:
        return 0.0
    around = places - places.mean(axis=0)
    across = np.cross(normal, around[0])
    order = np.argsort(np.arctan2(around @ across, around @ around[0] * np.linalg.norm(normal)), kind="stable")
    corners = around[order]
    return abs(float(normal @ np.cross(corners, np.roll(corners, -1, axis=0)).sum(axis=0))) / 2.0


def _four_corners(shared: list[_Shared]) -> tuple[Reals, Reals]:
    """At most four corners far apart of the faces that two pieces share, and their normal."""
    corners = np.concatenate([face.corners for face in shared])
    normal = sum(face.normal * face.area for face in shared)
    normal = np.asarray(normal) / max(float(np.linalg.norm(normal)), 1e-300)
    chosen = [int(np.linalg.norm(corners - corners.mean(axis=0), axis=1).argmax())]
    while len(chosen) < min(4, len(corners)):
        far = np.linalg.norm(corners[:, None] - corners[chosen], axis=2).min(axis=1)
        chosen.append(int(far.argmax()))
    return corners[chosen], normal


def _touching(hulls: Hulls, hull: NDArray[np.int64], poses: Poses) -> tuple[Indices, Touches]:
    """Pairs of pieces whose hulls meet, and where."""
    count = len(hull)
    bodies = bodies_at(poses, np.ones(count))
    margin = _TOUCHING * float(np.median(hulls.radius[hull])) if count else 0.0
    reach = Reach(np.full(count, int(Form.HULL)), hull, hulls.radius[hull], margin, 0.0)
    order = np.argsort(poses.position[:, 0] - reach.radius, kind="stable")
    pairs = near_pairs(order, bodies, reach, np.ones(count, np.bool_), _NONE.copy())
    touches = Touches.for_pairs(len(pairs))
    touch(pairs, hulls, bodies, reach, no_neighbours(), touches)
    hit = touches.counts > 0
    return pairs[hit], touches.chosen(hit)


def overlaps(pieces: RigidPieces, poses: Poses) -> Reals:
    """How deep the hulls of pieces that touch lie in each other at these poses, scene units, float64 (pairs,)."""
    touches = _touching(pieces.hulls, pieces.hull, poses)[1]
    used = np.arange(4)[None, :] < touches.counts[:, None]
    return np.asarray(np.maximum(0.0, -np.where(used, touches.gaps, np.inf).min(axis=1, initial=np.inf)))


def bodies_at(poses: Poses, weight: Reals) -> Bodies:
    """Bodies at rest at these poses. weight: float64 (n,), inverse masses."""
    count = len(weight)
    zeros = np.zeros((count, 3))
    position, rotation = np.array(poses.position, np.float64), np.array(poses.rotation, np.float64)
    return Bodies(position, rotation, zeros, zeros.copy(), weight, np.zeros((count, 3, 3)), np.zeros((count, 3, 3)))


def no_bonds() -> Bonds:
    """Nothing is bonded."""
    return Bonds(frozen(np.zeros((0, 2), np.int32)), frozen(np.zeros((0, 3))), frozen(np.zeros(0)))


def no_neighbours() -> Neighbours:
    """Nothing touches."""
    arrays = (
        _NONE, _NONE, np.zeros((0, 4, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros((0, 3)),
    )  # fmt: skip
    return Neighbours(*(frozen(array.copy()) for array in arrays))
