"""A sheet that grows: where its points are, what its edges want to be, and where on the first mesh everything lies.

Why it does not pass through itself: no edge is much longer than the thickness, and points that are not beside each other are
never nearer than that, so neither a point nor another edge finds room between.
"""

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry, GeometryError
from estompe.kernels.ruffle.contact import around, touching_pairs
from estompe.kernels.ruffle.metric import (
    FIRST,
    HIGH,
    LOW,
    constraints,
    edges_of,
    flipped,
    halved_edges,
    lengthened,
    split,
)
from estompe.kernels.ruffle.relaxing import relaxed
from estompe.kernels.surface import Tree, nearest_on_surface
from estompe.kernels.types import Floats, Indices, Matrix

SPLIT = 1.3
"""Thicknesses above which an edge that grows is halved."""
LONGEST = 1.5
"""Thicknesses up to which an edge keeps others out; a step that passes that is taken in halves."""
HELD = 1e-3
"""Points of less strength are held, unless they have grown before."""
_ROUNDS, _PARTS, _SMALL = 4, 4, 4
_SECOND_RING = 0.6
_FARTHEST = 0.07
"""Thicknesses that a point moves at most in one small step."""
_GIVE, _KEEP, _SHALLOW = 0.02, 0.9, 0.5
_HALVINGS = 2
MOST_POINTS = 400_000


class Sheet(NamedTuple):
    """places, velocities: float64 (n, 3), scene units, and scene units a small step; triangles: int32 (t, 3); rests: float64
    (t, 3), the rest length across each corner; fixed: bool (t, 3), edges that are not flipped; owner: int32 (t,), the triangle
    of the first mesh that each lies on; ids: int64 (n,); triangle: int32 (n,), and shares: float32 (n, 3), where on the first
    mesh a point is; growth: float64 (n,), the logarithm of how much lengths have grown.
    """

    places: Matrix
    velocities: Matrix
    triangles: Indices
    rests: Matrix
    fixed: NDArray[np.bool_]
    owner: Indices
    ids: NDArray[np.int64]
    triangle: Indices
    shares: Floats
    growth: Matrix


class Growth(NamedTuple):
    """How a sheet grows in a step.

    rate: by how much lengths grow at full strength, as a logarithm; most: the largest growth, as a logarithm; thickness: how near
    it comes to itself, scene units; stiff: 0 folds crisply, 1 broadly; seed: of what takes it out of its plane.
    """

    rate: float
    most: float
    thickness: float
    stiff: float
    seed: int


class First(NamedTuple):
    """The mesh that a sheet began as, at rest: its points, float64 (n, 3), triangles, int32 (t, 3), and their tree."""

    points: Matrix
    triangles: Indices
    tree: Tree

    def on(self, values: Floats, sheet: Sheet) -> Floats:
        """Values of its points on those of a sheet, float32 (n,) or (n, k)."""
        corners = values[self.triangles[sheet.triangle]]
        shares = sheet.shares if values.ndim == 1 else sheet.shares[:, :, None]
        return np.asarray((corners * shares).sum(axis=1), np.float32)

    def rest_of(self, sheet: Sheet) -> Matrix:
        """Where the points of a sheet lie on the mesh at rest, float64 (n, 3)."""
        return np.asarray((self.points[self.triangles[sheet.triangle]] * sheet.shares[:, :, None]).sum(axis=1))


Met = Callable[[Matrix, Matrix, float], tuple[Matrix, Matrix]]
"""Takes places and velocities out of what is in the way at a share of the step."""


def begun(mesh: Geometry) -> Sheet:
    """The sheet before it grows."""
    triangles = mesh.topology.triangles.astype(np.int32)
    places = mesh.points.astype(np.float64)
    corners = places[triangles]
    rests = np.linalg.norm(corners[:, [1, 2, 0]] - corners[:, [2, 0, 1]], axis=2)
    count = len(places)
    own = mesh.point_ids
    triangle, shares = np.zeros(count, np.int32), np.zeros((count, 3), np.float32)
    for k in range(3):
        triangle[triangles[:, k]] = np.arange(len(triangles))
    shares[np.arange(count), (triangles[triangle] == np.arange(count)[:, None]).argmax(axis=1)] = 1.0
    return Sheet(
        places, np.zeros_like(places), triangles.copy(), np.maximum(rests, 1e-12), _seams(mesh, triangles),
        np.arange(len(triangles), dtype=np.int32), np.arange(count) if own is None else own.copy(), triangle, shares,
        np.zeros(count),
    )  # fmt: skip


def _seams(mesh: Geometry, triangles: Indices) -> NDArray[np.bool_]:
    """Edges across which a corner attribute jumps, bool (t, 3): they may not be flipped."""
    fixed = np.zeros(triangles.shape, np.bool_)
    edges = edges_of(triangles, len(mesh.points))
    both = edges[edges[:, 4] >= 0]
    corner_of = mesh.topology.triangle_corners
    for (domain, _), values in mesh.attributes.items():
        if domain is not Domain.CORNER:
            continue
        flat = values.reshape(len(values), -1)
        for end in (LOW, HIGH):
            one, other = (_corner_at(triangles, corner_of, both[:, side], both[:, end]) for side in (2, 4))
            jumps = (np.abs(flat[one].astype(np.float64) - flat[other]) > 1e-6).any(axis=1)
            for side in (2, 4):
                fixed[both[jumps, side], both[jumps, side + 1]] = True
    return fixed


def _corner_at(triangles: Indices, corner_of: Indices, faces: Indices, points: Indices) -> NDArray[np.int64]:
    """The corner of each triangle that lies at a point."""
    at = (triangles[faces] == points[:, None]).argmax(axis=1)
    return np.asarray(corner_of[faces, at])


def held_points(sheet: Sheet, first: First, strength: Floats) -> NDArray[np.bool_]:
    """Which points are held, bool (n,): those that have never grown where the strength is 0. strength: float32 (m,)."""
    return np.asarray((first.on(strength, sheet) <= HELD) & (sheet.growth == 0.0))


def longest(sheet: Sheet, held: NDArray[np.bool_]) -> float:
    """The longest edge between points that are not held, scene units. held: bool (n,)."""
    edges = edges_of(sheet.triangles, len(sheet.places))
    free = ~(held[edges[:, LOW]] | held[edges[:, HIGH]])
    gaps = sheet.places[edges[free, LOW]] - sheet.places[edges[free, HIGH]]
    return float(np.sqrt((gaps * gaps).sum(axis=1)).max(initial=0.0))


def advanced(
    sheet: Sheet, first: First, strength: Floats, growth: Growth, met: Met, go_on: Callable[[], None]
) -> Sheet:
    """Grow a sheet and let it fold.

    Parameters
    ----------
    sheet : Sheet
        Not written.
    first : First
        The mesh that it began as.
    strength : float32 (m,)
        Of the first mesh's points; where it is 0 points are held.
    growth : Growth
        How it grows.
    met : Met
        Takes points out of what is in the way.
    go_on : callable
        Raises when the work is no longer wanted.

    Returns
    -------
    Sheet
        A step later. Where edges would pass `LONGEST` thicknesses, the step is taken in two halves.
    """
    return _in_halves(sheet, first, strength, growth, met, go_on, _HALVINGS, (0.0, 1.0))


def _in_halves(
    sheet: Sheet, first: First, strength: Floats, growth: Growth, met: Met, go_on: Callable[[], None], left: int,
    part: tuple[float, float],
) -> Sheet:  # fmt: skip
    after = _advanced_once(sheet, first, strength, growth, met, go_on, part)
    bound = LONGEST * growth.thickness
    was, is_now = (longest(one, held_points(one, first, strength)) for one in (sheet, after))
    if left == 0 or is_now <= max(bound, was):
        return after
    middle = 0.5 * (part[0] + part[1])
    half = growth._replace(rate=0.5 * growth.rate)
    sheet = _in_halves(sheet, first, strength, half, met, go_on, left - 1, (part[0], middle))
    return _in_halves(sheet, first, strength, half, met, go_on, left - 1, (middle, part[1]))


def _advanced_once(
    sheet: Sheet, first: First, strength: Floats, growth: Growth, met: Met, go_on: Callable[[], None],
    part: tuple[float, float],
) -> Sheet:  # fmt: skip
    sheet = Sheet._make(array.copy() for array in sheet)
    more = np.minimum(growth.rate * first.on(strength, sheet).astype(np.float64), growth.most - sheet.growth)
    more = np.maximum(more, 0.0)
    lengthened(sheet.triangles, sheet.rests, more)
    sheet = sheet._replace(growth=sheet.growth + more)
    for _ in range(_ROUNDS):
        go_on()
        finer = _halved(sheet, first, strength, growth.thickness)
        if finer is None:
            break
        sheet = finer
        edges = edges_of(sheet.triangles, len(sheet.places))
        flipped(sheet.places, sheet.triangles, sheet.rests, sheet.fixed, edges, _SHALLOW)
    inverse = (~held_points(sheet, first, strength)).astype(np.float64)
    return _settled(_out_of_plane(sheet, inverse, growth), inverse, growth, met, go_on, part)


def _halved(sheet: Sheet, first: First, strength: Floats, thickness: float) -> Sheet | None:
    """The sheet with edges halved that are too long, shown or at rest, where it grows; None where there are none."""
    held = held_points(sheet, first, strength)
    edges = edges_of(sheet.triangles, len(sheet.places))
    gaps = sheet.places[edges[:, LOW]] - sheet.places[edges[:, HIGH]]
    length = np.maximum(sheet.rests[edges[:, FIRST], edges[:, FIRST + 1]], 0.96 * np.sqrt((gaps * gaps).sum(axis=1)))
    length[held[edges[:, LOW]] & held[edges[:, HIGH]]] = 0.0
    if not (length > SPLIT * thickness).any():
        return None
    # The longest first; of equals by the ids of their ends, so that nothing hangs on how points are numbered.
    ends = sheet.ids[edges[:, LOW]], sheet.ids[edges[:, HIGH]]
    order = np.lexsort((np.maximum(*ends), np.minimum(*ends), -length)).astype(np.int32)
    chosen = halved_edges(edges, order, length, SPLIT * thickness, len(sheet.triangles))
    if len(sheet.places) + len(chosen) > MOST_POINTS:
        raise GeometryError(
            f"it would have more than {MOST_POINTS:,} points: use a smaller “Up to”, more thickness, or less in its way"
        )
    low, high = edges[chosen, LOW], edges[chosen, HIGH]
    triangles, rests, fixed, owner = split(
        sheet.triangles, sheet.rests, sheet.fixed, sheet.owner, edges, chosen, len(sheet.places)
    )
    triangle, shares = _between(sheet, first, low, high)
    return Sheet(
        _with_means(sheet.places, low, high), _with_means(sheet.velocities, low, high), triangles, rests, fixed, owner,
        np.concatenate([sheet.ids, _mixed(sheet.ids[low], sheet.ids[high])]),
        np.concatenate([sheet.triangle, triangle]), np.concatenate([sheet.shares, shares]),
        _with_means(sheet.growth, low, high),
    )  # fmt: skip


def _with_means(values: Matrix, low: Indices, high: Indices) -> Matrix:
    return np.concatenate([values, 0.5 * (values[low] + values[high])])


def _mixed(one: NDArray[np.int64], other: NDArray[np.int64]) -> NDArray[np.int64]:
    """An id from those of both parents, whatever their order."""
    low, high = np.minimum(one, other).astype(np.uint64), np.maximum(one, other).astype(np.uint64)
    bits = low * np.uint64(0x9E3779B97F4A7C15) + high
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        bits = (bits ^ (bits >> np.uint64(shift))) * np.uint64(factor)
    return np.asarray((bits ^ (bits >> np.uint64(31))) >> np.uint64(1)).astype(np.int64)


def _between(sheet: Sheet, first: First, low: Indices, high: Indices) -> tuple[Indices, Floats]:
    """Where on the first mesh the middle between two points is: triangles, int32 (c,), and shares, float32 (c, 3)."""
    rest = first.rest_of(sheet)
    middles = 0.5 * (rest[low] + rest[high])
    found = nearest_on_surface(middles.astype(np.float32), first.tree)
    weights = found.weights
    shares = np.concatenate([1.0 - weights.sum(axis=1, keepdims=True), weights], axis=1).astype(np.float32)
    same = sheet.triangle[low] == sheet.triangle[high]
    shares[same] = 0.5 * (sheet.shares[low[same]] + sheet.shares[high[same]])
    return np.where(same, sheet.triangle[low], found.triangle).astype(np.int32), shares


def _out_of_plane(sheet: Sheet, inverse: Matrix, growth: Growth) -> Sheet:
    """The sheet with a little motion where nothing moves yet, by chance but always the same: else a plane would stay one."""
    if sheet.velocities.any():
        return sheet
    bits = (sheet.ids.astype(np.uint64) + np.uint64(growth.seed)) * np.uint64(0x9E3779B97F4A7C15)
    bits = (bits ^ (bits >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9)
    chance = (bits >> np.uint64(11)).astype(np.float64) * 2.0**-53 - 0.5
    away = 0.1 * growth.thickness * chance * inverse
    return sheet._replace(velocities=away[:, None] * _point_normals(sheet))


def _point_normals(sheet: Sheet) -> Matrix:
    a, b, c = (sheet.places[sheet.triangles[:, k]] for k in range(3))
    faces = np.cross(b - a, c - a)
    normals = np.zeros_like(sheet.places)
    for axis in range(3):
        for k in range(3):
            normals[:, axis] += np.bincount(sheet.triangles[:, k], faces[:, axis], len(normals))
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30))


def _settled(
    sheet: Sheet, inverse: Matrix, growth: Growth, met: Met, go_on: Callable[[], None], part: tuple[float, float]
) -> Sheet:
    places, velocities = sheet.places, sheet.velocities
    kept = constraints(sheet.triangles, sheet.rests, edges_of(sheet.triangles, len(places)))
    starts, members = around(sheet.triangles, len(places))
    thickness, fold_give = growth.thickness, 1.0 / max(growth.stiff, 1e-6)
    for number in range(_PARTS):
        go_on()
        pair, least = touching_pairs(places, starts, members, 1.6 * thickness, thickness, _SECOND_RING)
        relaxed(places, velocities, inverse, *kept, pair, least, _SMALL, _GIVE, fold_give, _KEEP, _FARTHEST * thickness)
        free = inverse > 0.0
        share = part[0] + (part[1] - part[0]) * (number + 1) / _PARTS
        places[free], velocities[free] = met(places[free], velocities[free], share)
    return sheet._replace(places=places, velocities=velocities)


def thickness_of(mesh: Geometry) -> float:
    """The mean edge of a mesh's triangles, scene units, to two digits."""
    edges = edges_of(mesh.topology.triangles, len(mesh.points))
    gaps = mesh.points[edges[:, LOW]].astype(np.float64) - mesh.points[edges[:, HIGH]]
    # The diagonals of quads are longer than what bounds them.
    length = float(np.sqrt((gaps * gaps).sum(axis=1)).mean())
    unit = 10.0 ** (math.floor(math.log10(max(length, 1e-9))) - 1)
    return round(length / unit) * unit
