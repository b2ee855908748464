"""Solved branches: lines of a tree, where they lie on what they grow over, and how they hang together."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from estompe.geometry.branches.body import Body
from estompe.geometry.branches.places import Ranked
from estompe.geometry.geometry import Geometry, GeometryError
from estompe.geometry.pieces import Pieces
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Branching, Lines, Topology
from estompe.kernels.branches.ground import Ground
from estompe.kernels.branches.joining import Habit, Nodes, Places, joined
from estompe.kernels.branches.lines import Cut, cut
from estompe.kernels.types import Floats, Indices, Matrix, frozen

MOST_NODES = 2_000_000
_NONE = np.zeros((0, 3))


class Tree(NamedTuple):
    """Solved branches, at rest.

    topology: lines with `branching`; rest: where their vertices lie; triangle: int32 (k,), and shares, float32 (k, 3): where that
    is on a surface, empty in space; order: float32 (k,), how far along its line each vertex lies, 0..1; generation: float32 (k,),
    forks back to the root; left: how many places were not come to.
    """

    topology: Topology
    rest: Rest
    triangle: Indices
    shares: Floats
    order: Floats
    generation: Floats
    left: int


def over_surface(
    mesh: Geometry,
    roots: Matrix,
    root_triangles: Indices,
    ranked: Ranked,
    habit: Habit,
    go_on: Callable[[], None] = lambda: None,
) -> Tree:
    """Branches over a mesh at rest.

    Parameters
    ----------
    mesh : Geometry
        What they grow over.
    roots : float64 (r, 3)
        Where they begin, on the mesh at rest.
    root_triangles : int32 (r,)
        The triangles that roots lie on.
    ranked : Ranked
        Places on the mesh at rest.
    habit : Habit
        How they grow.
    go_on : callable
        Raises when they are no longer wanted.

    Returns
    -------
    Tree
        Vertices on the surface.

    Raises
    ------
    GeometryError
        Where it would have too many vertices.
    """
    points, triangles = np.ascontiguousarray(mesh.rest, np.float64), mesh.topology.triangles
    normals = _triangle_normals(points, triangles)
    ground = Ground(points, triangles, _beside(mesh.topology), normals, _no_field(), np.zeros(3), 1.0, 0.0)
    places = Places(ranked.positions, ranked.radii, normals[ranked.triangle], ranked.triangle)
    nodes, left = _solved(roots, root_triangles, places, habit, ground, go_on)
    lines = cut(nodes.parent)
    triangle = nodes.triangle[lines.node]
    shares = _shares(points, triangles[triangle], nodes.positions[lines.node])
    return _tree(nodes, lines, ranked, triangle, shares, left)


def through_body(
    body: Body, roots: Matrix, ranked: Ranked, habit: Habit, go_on: Callable[[], None] = lambda: None
) -> Tree:
    """Branches inside a volume at rest; the parameters are those of `over_surface`. Raises GeometryError."""
    none = np.zeros((0, 3), np.int32)
    ground = Ground(_NONE, none, none, _NONE, body.field, body.origin, body.voxel, body.margin)
    places = Places(ranked.positions, ranked.radii, np.zeros_like(ranked.positions), ranked.triangle)
    nodes, left = _solved(roots, np.full(len(roots), -1, np.int32), places, habit, ground, go_on)
    return _tree(nodes, cut(nodes.parent), ranked, np.zeros(0, np.int32), np.zeros((0, 3), np.float32), left)


def _no_field() -> Floats:
    return np.zeros((0, 0, 0), np.float32)


def _solved(
    roots: Matrix, root_triangles: Indices, places: Places, habit: Habit, ground: Ground, go_on: Callable[[], None]
) -> tuple[Nodes, int]:
    nodes, left = joined(roots, root_triangles, places, habit, ground, MOST_NODES, go_on)
    if len(nodes.parent) > MOST_NODES - 4096:
        raise GeometryError(f"they would have more than {MOST_NODES:,} vertices: use fewer twigs, or a longer step")
    return nodes, left


def _tree(nodes: Nodes, lines: Cut, ranked: Ranked, triangle: Indices, shares: Floats, left: int) -> Tree:
    place = nodes.place[lines.node]
    tips = _tips(nodes, lines, place)
    count = max(len(ranked.ids), 1)
    branching = Branching(
        frozen(lines.parent),
        frozen(nodes.way[lines.node]),
        frozen(nodes.generation[lines.node]),
        frozen(tips),
        frozen(((place[tips] + 0.5) / count).astype(np.float32)),
    )
    vertices = len(lines.node)
    of = np.repeat(np.arange(len(lines.offsets) - 1, dtype=np.int32), np.diff(lines.offsets))
    ends = place[lines.offsets[1:] - 1]
    rank = (np.float32(1.0) - (ends + 0.5) / count).astype(np.float32)
    weights = np.zeros(vertices, np.float32)
    weights[lines.offsets[:-1]] = 1.0
    pieces = Pieces(frozen(of), frozen(ranked.ids[ends]), frozen(rank), "branch", frozen(weights))
    drawn = Lines(frozen(np.arange(vertices, dtype=np.int32)), frozen(lines.offsets))
    nothing = np.zeros(0, np.int32)
    topology = Topology(nothing, np.zeros(1, np.int32), vertices, pieces, drawn, branching=branching)
    rest = Rest(frozen(nodes.positions[lines.node].astype(np.float32)))
    generation = branching.generation.astype(np.float32)
    order = frozen(_order(nodes, lines))
    return Tree(topology, rest, frozen(triangle), frozen(shares), order, frozen(generation), left)


def _tips(nodes: Nodes, lines: Cut, place: Indices) -> Indices:
    """The vertex that each place ends at, int32 (m,): the last one that was made for it, on its own line."""
    is_last = np.append(nodes.place[1:] != nodes.place[:-1], True) & (nodes.place >= 0)
    begins = np.zeros(len(place), np.bool_)
    begins[lines.offsets[:-1]] = lines.parent[lines.offsets[:-1]] >= 0  # forks stand there a second time
    return np.flatnonzero(is_last[lines.node] & ~begins).astype(np.int32)


def _order(nodes: Nodes, lines: Cut) -> Floats:
    way = nodes.way[lines.node]
    first, last = way[lines.offsets[:-1]], way[lines.offsets[1:] - 1]
    counts = np.diff(lines.offsets)
    along = (way - np.repeat(first, counts)) / np.maximum(np.repeat(last - first, counts), 1e-12)
    return np.asarray(along, np.float32)


def _triangle_normals(points: Matrix, triangles: Indices) -> Matrix:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    normals = np.cross(b - a, c - a)
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.ascontiguousarray(np.where(lengths > 1e-30, normals / np.maximum(lengths, 1e-30), 0.0))


def _beside(topology: Topology) -> Indices:
    """The triangle across the edge that follows each corner, int32 (t, 3), -1 at borders and where more than two meet."""
    edges = topology.triangle_edges.reshape(-1)
    order = np.argsort(edges, kind="stable")
    ranked = edges[order]
    starts = np.flatnonzero(np.append(True, ranked[1:] != ranked[:-1]))
    counts = np.diff(np.append(starts, len(ranked)))
    pairs = starts[counts == 2]
    one, other = order[pairs], order[pairs + 1]
    beside = np.full(len(edges), -1, np.int32)
    beside[one], beside[other] = other // 3, one // 3
    return beside.reshape(-1, 3)


def _shares(points: Matrix, corners: Indices, places: Matrix) -> Floats:
    """Barycentric coordinates of places on triangles, float32 (k, 3), cut to the triangle."""
    a, b, c = (points[corners[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    squared = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-300)
    first = np.einsum("ij,ij->i", np.cross(c - b, places - b), normal) / squared
    second = np.einsum("ij,ij->i", np.cross(a - c, places - c), normal) / squared
    shares = np.clip(np.stack([first, second, 1.0 - first - second], axis=1), 0.0, 1.0)
    return np.asarray(shares / np.maximum(shares.sum(axis=1, keepdims=True), 1e-12), np.float32)
