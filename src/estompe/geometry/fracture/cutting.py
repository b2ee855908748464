"""A closed surface cut into the cells of seeds, each closed by caps.

The cells are those of Voronoi ("Nouvelles applications des paramètres continus", 1908), found as the dual of a Delaunay
tetrahedration. Triangles are clipped against the cells they reach; on each face between two cells, the surface's cuts and those
stretches of the cell's edges that lie inside close into loops. Inside is told by counting signed crossings from far away, so that
bodies which overlap count as often as they cover.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.fracture import caps as capping
from estompe.kernels.fracture import cells as cutting
from estompe.kernels.fracture.cut import assembled, open_per_piece, volumes
from estompe.kernels.keyed import grouped
from estompe.kernels.types import Indices, Matrix

_MOST_PARTS, _FACES_OF_A_PART = 8, 6000
_FAR = 12.0
"""How many sizes of the body away the far seeds stand."""
_JITTER = 1e-6
"""By how much of their spacing seeds are moved: on an exact grid many cells meet in one point, which has no one answer."""
_ATTEMPTS = 3


class FractureError(ValueError):
    """A body that cannot be cut; the text says why."""


class Cut(NamedTuple):
    """Cells with caps. Faces stand together by piece, and points belong to one piece each.

    corners, offsets: polygons; source: int32 (faces,), the triangle of the surface a face is a part of, or -1 minus the cell
    across a cap; starts: int32 (pieces + 1,), the first face of each piece; points: float64 (n, 3); piece: int32 (n,); stands:
    int32 (n,), the same for points of several pieces that are one; seeds: int32 (pieces,), the seed of each piece.
    """

    corners: Indices
    offsets: Indices
    source: Indices
    starts: Indices
    points: Matrix
    piece: Indices
    stands: Indices
    seeds: Indices

    @property
    def volumes(self) -> Matrix:
        """The volume of each piece, float64 (pieces,)."""
        found: Matrix = volumes(self.points, self.corners, self.offsets, self.starts)
        return found

    @property
    def open(self) -> int:
        """How many pieces are not closed; none, if all went well."""
        return int(np.count_nonzero(open_per_piece(self.corners, self.offsets, self.starts, len(self.points))))


def cut_into_cells(points: NDArray[np.floating], triangles: Indices, seeds: Matrix, seed: int = 1) -> Cut:
    """A closed surface cut into the cells of seeds.

    Parameters
    ----------
    points, triangles : arrays
        The surface, (n, 3) and int32 (t, 3); it must be closed.
    seeds : float64 (k, 3)
        One for each cell; those whose cell lies outside make none.
    seed : int
        Decides by how little seeds are moved, so that none are in special positions.

    Raises
    ------
    FractureError
        Where pieces stay open, as for surfaces that touch or cross themselves badly.
    """
    surface = np.array(points, np.float64)
    faces = np.array(triangles, np.int32)
    extent = surface.max(axis=0) - surface.min(axis=0)
    spacing = float(max(np.prod(np.maximum(extent, 1e-12)) / max(len(seeds), 1), 0.0)) ** (1 / 3)
    for attempt in range(_ATTEMPTS):
        step = _JITTER * spacing * 10.0**attempt
        moved = seeds + np.random.default_rng(seed + attempt).uniform(-step, step, seeds.shape)
        cut = _cut(surface, faces, moved)
        if not cut.open:
            return cut
    raise FractureError(
        f"{cut.open:,} of {len(seeds):,} pieces cannot be closed, since the surface touches or crosses itself: "
        "mend it, or use other seeds"
    )


def _cut(surface: Matrix, faces: Indices, seeds: Matrix) -> Cut:
    from scipy.spatial import Delaunay  # half a second that few need

    low, high = surface.min(axis=0), surface.max(axis=0)
    reach = max(float((high - low).max()), 1e-9) * _FAR
    around = [(i, j, k) for i in (-1, 0, 1) for j in (-1, 0, 1) for k in (-1, 0, 1) if (i, j, k) != (0, 0, 0)]
    every = np.concatenate([seeds, np.array(around, float) * reach + (low + high) / 2])
    made = Delaunay(every)
    tets, beside = made.simplices.astype(np.int32), made.neighbors.astype(np.int32)
    dual = cutting.dual(every, tets, beside, len(seeds))
    centres, tri, signs, count, pairs, first, start, other, edge, table, numbers = dual
    guess = int(np.argmin(((seeds - surface[0]) ** 2).sum(axis=1)))
    cell = cutting.nearest_cells(surface, every, start, other, guess)
    parts = _clipped(surface, faces, every, cell, start, other, edge, len(seeds))
    piece, triangle, offsets, key, position, side_edge, side_key, cross_key, cross_cells, cross_sign = parts
    ids, places, sides, crossings = cutting.number_points(len(surface), surface, key, position, side_key, cross_key)
    crossed = grouped(cutting.triangles_of(cross_cells, table, numbers), count)
    bordered = grouped(side_edge, len(pairs))
    state, _ = capping.winding_of(tets, beside, tri, signs, len(seeds), *crossed, cross_sign)
    capped = _capped(
        every, tets, beside, tri, centres, state, pairs, first, bordered, sides, crossed, crossings, places
    )
    corners, face_offsets, source, starts, stands, owner = assembled(
        len(seeds), piece, triangle, offsets, ids, pairs, *capped, len(places) + 4 * len(tets)
    )
    points = np.concatenate([places, centres, centres, centres, centres])[stands]
    return _without_empty(Cut(corners, face_offsets, source, starts, points, owner, stands, np.arange(len(seeds))))  # type: ignore[arg-type]


def _clipped(
    surface: Matrix,
    faces: Indices,
    seeds: Matrix,
    cell: Indices,
    start: Indices,
    other: Indices,
    edge: Indices,
    count: int,
) -> tuple[NDArray[Any], ...]:
    """Fragments of all triangles, in as many parts whatever the number of threads."""
    parts = _parts(len(faces))
    bounds = np.linspace(0, len(faces), parts + 1).astype(int)
    room = 6 * len(faces) // parts + 40 * count // parts + 4096

    def part(first: int, last: int, times: int = 1) -> tuple[Any, ...]:
        made: tuple[Any, ...] = cutting.clip(surface, faces, first, last, seeds, cell, start, other, edge, times * room)
        return made if made[-1] >= 0 else part(first, last, times * 2)

    found = _in_parts(part, bounds)
    joined = [np.concatenate([part[k] for part in found]) for k in range(10)]
    joined[2] = _offsets([part[2] for part in found])
    return tuple(joined)


def _capped(
    seeds: Matrix,
    tets: Indices,
    beside: Indices,
    tri: Indices,
    centres: Matrix,
    state: NDArray[np.int8],
    pairs: Indices,
    first: Indices,
    bordered: tuple[Indices, Indices],
    sides: Indices,
    crossed: tuple[Indices, Indices],
    crossings: Indices,
    places: Matrix,
) -> tuple[Indices, Indices, Indices]:
    """Caps of all borders: the border of each, where its corners begin, and the corners."""
    bounds = np.linspace(0, len(pairs), _parts(4 * len(pairs)) + 1).astype(int)

    def part(begin: int, end: int, times: int = 1) -> tuple[Any, ...]:
        room = times * (int(bordered[0][end] - bordered[0][begin]) * 2 + 8 * (end - begin) + 8192)
        made: tuple[Any, ...] = capping.caps(
            begin, end, seeds, tets, beside, tri, centres, state, pairs, first, *bordered, sides, *crossed, crossings, places,
            room,
        )  # fmt: skip
        return made if made[3] >= 0 else part(begin, end, times * 2)

    found = _in_parts(part, bounds)
    edges, corners = (np.concatenate([piece[k] for piece in found]) for k in (0, 2))
    return edges, _offsets([piece[1] for piece in found]), corners


def _parts(size: int) -> int:
    """Into how many parts work is split, by its size alone, so that results do not depend on the machine."""
    return max(2, min(_MOST_PARTS, size // _FACES_OF_A_PART + 1))


def _in_parts(run: Callable[[int, int], Any], bounds: NDArray[np.int64]) -> list[Any]:
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(run, map(int, bounds[:-1]), map(int, bounds[1:])))


def _offsets(parts: list[Indices]) -> Indices:
    sizes = np.concatenate([np.diff(part) for part in parts])
    return np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)


def _without_empty(cut: Cut) -> Cut:
    """Without the seeds whose cell holds nothing."""
    faces = np.diff(cut.starts)
    there = np.flatnonzero(faces > 0)
    number = np.full(len(faces), -1, np.int32)
    number[there] = np.arange(len(there), dtype=np.int32)
    # The cell across a cap holds something, too.
    source = np.where(cut.source < 0, -1 - number[np.maximum(-1 - cut.source, 0)], cut.source).astype(np.int32)
    starts = np.concatenate([[0], np.cumsum(faces[there])]).astype(np.int32)
    return cut._replace(
        source=source, starts=starts, piece=number[cut.piece].astype(np.int32), seeds=there.astype(np.int32)
    )
