"""Places that branches reach for, coarse to fine: one for each cell of space, cells halved level by level.

Every place is decided by its own cell and by places near it that come before, so more places move none, the mesh hardly matters,
and nothing that changes in one spot is felt in another.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.branches.body import Body
from estompe.geometry.geometry import Geometry
from estompe.kernels.branches.places import spaced
from estompe.kernels.scatter import areas_of
from estompe.kernels.surface import Tree, feet, nearest_on_surface, tree_of
from estompe.kernels.types import Floats, Indices, Matrix

_APART = 0.55
"""The least distance to a place before, in edges of a place's own cell."""
_HALF_DIAGONAL = 0.8661
_MOST_CELLS = 4_000_000
_FARTHEST = 40
"""Levels after which no more places are looked for."""
Ids = NDArray[np.int64]


class Ranked(NamedTuple):
    """Places in an order of which any beginning is even.

    positions: float64 (n, 3); radii: float64 (n,), about the distance to earlier ones; ids: int64 (n,), that stay; triangle:
    int32 (n,), -1 in space.
    """

    positions: Matrix
    radii: Matrix
    ids: Ids
    triangle: Indices


class _Candidates(NamedTuple):
    """Places of one level: positions, float64 (n, 3), triangles, int32 (n,), and which may stay, bool (n,)."""

    positions: Matrix
    triangle: Indices
    fits: NDArray[np.bool_]


_Cells = NDArray[np.int64]
_Passing = Callable[[Matrix, float], NDArray[np.bool_]]
_Chosen = Callable[[Matrix, float], _Candidates]


def hashed(*parts: NDArray[np.int64] | int) -> NDArray[np.uint64]:
    """A random number of 64 bits for integers, the same on every run. The mixing is that of `estompe.geometry.random`."""
    mixed = np.zeros(np.broadcast(*parts).shape, np.uint64)
    for part in parts:
        mixed = (mixed ^ np.asarray(part).astype(np.int64).view(np.uint64)) + np.uint64(0x9E3779B97F4A7C15)
        mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        mixed ^= mixed >> np.uint64(31)
    return mixed


def on_surface(points: Floats, triangles: Indices, order: Indices, count: int, seed: int) -> Ranked:
    """Ranked places on a mesh.

    Parameters
    ----------
    points : float32 (n, 3)
        The mesh's points, scene units.
    triangles : int32 (t, 3)
        Its triangles.
    order : int32 (t,)
        The triangles, neighbours near each other.
    count : int
        How many places are wanted.
    seed : int
        Another seed gives other places.

    Returns
    -------
    Ranked
        At most so many.
    """
    tree = tree_of(points, triangles, order)

    def passing(middles: Matrix, edge: float) -> NDArray[np.bool_]:
        reach = _HALF_DIAGONAL * edge
        return np.asarray(nearest_on_surface(middles.astype(np.float32), tree, reach).triangle >= 0)

    def chosen(wanted: Matrix, edge: float) -> _Candidates:
        return _feet_of(wanted, edge, points, triangles, tree)

    area = float(areas_of(points, triangles).sum())

    def radius(number: NDArray[np.int64]) -> Matrix:
        return np.asarray(np.sqrt(area / number))

    return _by_level(points.min(axis=0), points.max(axis=0), radius, passing, chosen, count, seed)


def _feet_of(wanted: Matrix, edge: float, points: Floats, triangles: Indices, tree: Tree) -> _Candidates:
    near = wanted.astype(np.float32)
    found = nearest_on_surface(near, tree, 0.5 * edge)
    return _Candidates(feet(near, points, triangles, found).astype(np.float64), found.triangle, found.triangle >= 0)


def in_body(body: Body, count: int, seed: int) -> Ranked:
    """Ranked places inside a volume, at most so many."""

    def passing(middles: Matrix, edge: float) -> NDArray[np.bool_]:
        return np.asarray(body.distances(middles) < _HALF_DIAGONAL * edge)

    def chosen(wanted: Matrix, edge: float) -> _Candidates:
        del edge
        none = np.full(len(wanted), -1, np.int32)
        return _Candidates(wanted, none, body.distances(wanted) < -body.margin)

    inside = float(np.count_nonzero(body.field < 0.0)) * body.voxel**3

    def radius(number: NDArray[np.int64]) -> Matrix:
        return np.asarray(np.cbrt(inside / number))

    return _by_level(body.low, body.high, radius, passing, chosen, count, seed)


def _by_level(
    low: Matrix, high: Matrix, radius: Callable[[NDArray[np.int64]], Matrix], passing: _Passing, chosen: _Chosen, count: int,
    seed: int,
) -> Ranked:  # fmt: skip
    # A power of two of scene units, so that cells stay where they are while a bound changes.
    edge = 2.0 ** np.ceil(np.log2(max(float((high - low).max()), 1e-6)))
    first, last = np.floor(low / edge).astype(np.int64), np.floor(high / edge).astype(np.int64)
    cells = np.stack(np.meshgrid(*(np.arange(a, b + 1) for a, b in zip(first, last, strict=True)), indexing="ij"), -1)
    cells = cells.reshape(-1, 3)
    kept = Ranked(np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.int64), np.zeros(0, np.int32))
    for level in range(_FARTHEST):
        cells = cells[passing((cells + 0.5) * edge, edge)]
        kept = _with_level(kept, cells, edge, level, chosen, seed)
        if len(kept.ids) >= count or not len(cells) or 8 * len(cells) > _MOST_CELLS:
            break
        cells, edge = _halved(cells), 0.5 * edge
    radii = radius(np.arange(1, min(count, len(kept.ids)) + 1))
    return Ranked(kept.positions[:count], radii, kept.ids[:count], kept.triangle[:count])


def _with_level(kept: Ranked, cells: _Cells, edge: float, level: int, chosen: _Chosen, seed: int) -> Ranked:
    mixes = [hashed(cells[:, 0], cells[:, 1], cells[:, 2], level, seed * 4 + part) for part in range(4)]
    shares = np.stack([(mix >> np.uint64(11)).astype(np.float64) * 2.0**-53 for mix in mixes[:3]], axis=1)
    candidates = chosen((cells + shares) * edge, edge)
    turn = np.flatnonzero(candidates.fits)
    turn = turn[np.argsort(mixes[3][turn], kind="stable")]
    positions = np.concatenate([kept.positions, candidates.positions[turn]])
    stay = spaced(positions, len(kept.ids), _APART * edge)[len(kept.ids) :]
    turn = turn[stay]
    return Ranked(
        np.concatenate([kept.positions, candidates.positions[turn]]),
        kept.radii,
        np.concatenate([kept.ids, (mixes[3][turn] >> np.uint64(11)).astype(np.int64)]),
        np.concatenate([kept.triangle, candidates.triangle[turn]]),
    )


def _halved(cells: _Cells) -> _Cells:
    """The eight cells of the next level in each."""
    corners = np.stack(np.meshgrid([0, 1], [0, 1], [0, 1], indexing="ij"), axis=-1).reshape(1, 8, 3)
    return np.asarray((2 * cells[:, None, :] + corners).reshape(-1, 3))


def surface_places(mesh: Geometry, count: int, seed: int) -> Ranked:
    """Ranked places on a mesh at rest."""
    topology = mesh.topology
    return on_surface(mesh.rest, topology.triangles, mesh.at_rest.triangle_order(topology), count, seed)
