"""Which points make which faces; shared by every deformed state of a mesh."""

import threading
from collections.abc import Callable, Hashable, Iterator
from functools import cached_property
from hashlib import blake2b
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.derived import Derived
from estompe.geometry.pieces import Pieces, even_ranks
from estompe.kernels import normals, topology
from estompe.kernels.mixing import Mix
from estompe.kernels.types import Floats, Indices

Made = TypeVar("Made")
_MOST_DERIVED = 4
_DERIVED = (
    "_fans",
    "triangles",
    "triangle_edges",
    "corner_faces",
    "corners_around",
    "faces_around",
    "_edges",
    "neighbours",
    "face_mix",
    "face_pairs",
)


class _Scratch(threading.local):
    """Rows that are needed for a moment only: each thread's own, and kept, since fresh memory costs more than filling it."""

    def __init__(self) -> None:
        self._rows: Floats = np.empty((0, 3), np.float32)

    def rows(self, count: int) -> Floats:
        """So many rows with whatever was in them, float32 (count, 3)."""
        if len(self._rows) < count:
            self._rows = np.empty((count, 3), np.float32)
        return self._rows[:count]


_scratch = _Scratch()


class Numbering:
    """What the numbers of a mesh's points mean: the faces they were first numbered for.

    Topologies that only leave out or add faces keep the numbering of the one that they were made from.
    """

    __slots__ = ("_corners", "_offsets", "_points")

    def __init__(self, corners: Indices, offsets: Indices, points: int) -> None:
        self._corners, self._offsets, self._points = corners, offsets, points

    def is_like(self, other: "Numbering") -> bool:
        """Return whether a number means the same point in both."""
        if self is other:
            return True
        counts = self._points == other._points and len(self._corners) == len(other._corners)
        return (
            counts and np.array_equal(self._corners, other._corners) and np.array_equal(self._offsets, other._offsets)
        )

    @property
    def digest(self) -> bytes:
        """What tells it from others in any process, 16 bytes."""
        made = blake2b(self._points.to_bytes(8, "little"), digest_size=16)
        made.update(np.ascontiguousarray(self._corners).tobytes())
        made.update(np.ascontiguousarray(self._offsets).tobytes())
        return made.digest()


class Lines(NamedTuple):
    """Polylines over numbered points: the point of each vertex, int32 (m,), and where each line begins, int32 (lines + 1,)."""

    points: Indices
    offsets: Indices


class Branching(NamedTuple):
    """How lines hang together as trees; its vertices are those of the lines, in the same order, each after its parent.

    parent: int32 (k,), the vertex before, -1 at roots; a line that begins at a fork begins with a vertex of its own there; way:
    float64 (k,), the length back to the root at rest, scene units; generation: int32 (k,), forks back to the root; tips: int32
    (m,), the vertices at which places were come to; shares: float32 (m,), how late in an order of which any beginning is even
    each of these comes, 0..1.
    """

    parent: Indices
    way: NDArray[np.float64]
    generation: Indices
    tips: Indices
    shares: Floats


class Topology:
    """Polygons of any size over numbered points, and lines.

    corners: int32 (m,), the point of each corner; offsets: int32 (faces + 1,), where each face's corners begin; parted: the
    pieces, where there are several; lines: polylines, where there are any; numbering: that of the topology whose points these
    are, where they keep their numbers; branching: how lines hang together, where they are branches.

    What is derived from them is computed once, when first asked for.
    """

    def __init__(
        self,
        corners: Indices,
        offsets: Indices,
        points: int,
        parted: Pieces | None = None,
        lines: Lines | None = None,
        numbering: Numbering | None = None,
        branching: Branching | None = None,
    ) -> None:
        self.corners = corners
        self.offsets = offsets
        self.points = points
        self.parted, self.lines, self.branching = parted, lines, branching
        self.numbering = Numbering(corners, offsets, points) if numbering is None else numbering
        self._derived = Derived(_MOST_DERIVED)

    def derived(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What a stage makes from this topology, whatever the points are; the last few are kept with it.

        So a stage that changes faces gives the same topology on every frame, and what hangs on that is not made again.
        key: a name, and what else decides the result.
        """
        return self._derived.get(key, make)

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held now: the faces, and what was derived from them so far."""
        yield self.corners
        yield self.offsets
        if self.parted is not None:
            yield from self.parted.arrays()
        yield from self.lines or ()
        yield from self.branching or ()
        for name in _DERIVED:
            held = self.__dict__.get(name, ())
            yield from held if isinstance(held, tuple) else (held,)
        yield from self._derived.arrays()

    def numbers_like(self, other: "Topology", points: bool) -> bool:
        """Return whether a number names the same element in both. points: of points, else of faces."""
        if self is other:
            return True
        if points:
            return self.points == other.points and self.numbering.is_like(other.numbering)
        same = len(self.corners) == len(other.corners) and np.array_equal(self.corners, other.corners)
        return same and np.array_equal(self.offsets, other.offsets)

    @cached_property
    def points_digest(self) -> bytes:
        """What tells the numbering of the points from others in any process, 16 bytes."""
        return self.numbering.digest

    @cached_property
    def faces_digest(self) -> bytes:
        """What tells the faces from others in any process, 16 bytes."""
        return Numbering(self.corners, self.offsets, self.points).digest

    @cached_property
    def is_sound(self) -> bool:
        """Whether its arrays agree: every corner names a point, and every point a piece."""
        corners, offsets = self.corners, self.offsets
        if not len(offsets) or offsets[0] != 0 or offsets[-1] != len(corners):
            return False
        if len(corners) and not (corners.min() >= 0 and corners.max() < self.points):
            return False
        if self.parted is None:
            return True
        of = self.parted.of
        return len(of) == self.points and (not len(of) or (of.min() >= 0 and of.max() < len(self.parted)))

    @property
    def faces(self) -> int:
        return len(self.offsets) - 1

    @cached_property
    def pieces(self) -> Pieces:
        """What moves by itself: the whole where nothing was parted."""
        if self.parted is not None:
            return self.parted
        one = np.zeros(min(1, self.points), np.int64)
        return Pieces(np.zeros(self.points, np.int32), one, even_ranks(one), "part")

    @cached_property
    def line_segments(self) -> Indices:
        """The pieces of all lines as pairs of points, int32 (s, 2)."""
        if self.lines is None:
            return np.zeros((0, 2), np.int32)
        points, offsets = self.lines
        begins = np.setdiff1d(np.arange(len(points)), offsets[1:] - 1)
        return np.ascontiguousarray(np.stack([points[begins], points[begins + 1]], axis=1))

    @property
    def face_pieces(self) -> Indices:
        """The piece of each face, int32 (faces,): that of its first corner."""
        return np.asarray(self.pieces.of[self.corners[self.offsets[:-1]]], np.int32)

    @cached_property
    def face_mix(self) -> Mix:
        """What the mean over each face's points is mixed from."""
        return Mix(self.offsets, self.corners, self._corner_weights)

    @cached_property
    def corner_mix(self) -> Mix:
        """What the mean over each face's corners is mixed from."""
        return Mix(self.offsets, np.arange(len(self.corners), dtype=np.int32), self._corner_weights)

    @cached_property
    def _corner_weights(self) -> Floats:
        sizes = np.diff(self.offsets)
        return np.repeat(1.0 / np.maximum(sizes, 1), sizes).astype(np.float32)

    @cached_property
    def face_pairs(self) -> Indices:
        """Faces that share an edge, each pair once, int32 (e, 2)."""
        return topology.face_pairs(self.corners, self.offsets, self.points, self.corner_faces)

    @cached_property
    def _fans(self) -> tuple[Indices, Indices]:
        corners, owner = topology.triangle_corners(self.offsets)
        return corners, owner

    @property
    def triangle_corners(self) -> Indices:
        """Corner numbers of the triangles that draw the faces, int32 (t, 3)."""
        return self._fans[0]

    @property
    def triangle_faces(self) -> Indices:
        """The face each triangle belongs to, int32 (t,)."""
        return self._fans[1]

    @cached_property
    def triangles(self) -> Indices:
        """Point numbers of the triangles that draw the faces, int32 (t, 3)."""
        out: Indices = self.corners[self.triangle_corners]
        return out

    @cached_property
    def triangle_edges(self) -> Indices:
        """The number of the edge that follows each corner of the triangles, int32 (t, 3); neighbours share it."""
        out: Indices = topology.triangle_edges(self.triangles, self.points)
        return out

    @cached_property
    def corner_faces(self) -> Indices:
        """The face of each corner, int32 (m,)."""
        out: Indices = topology.corner_faces(self.offsets)
        return out

    @cached_property
    def corners_around(self) -> tuple[Indices, Indices]:
        """The corners at each point: starts, int32 (points + 1,), and members, int32 (m,)."""
        return topology.corners_of_points(self.corners, self.points)

    @cached_property
    def faces_around(self) -> tuple[Indices, Indices]:
        """The faces around each point: starts, int32 (points + 1,), and members, int32 (m,)."""
        # Every mesh needs these and few need the corners, so those are not kept for them.
        starts, corners = topology.corners_of_points(self.corners, self.points)
        return starts, self.corner_faces[corners]

    @cached_property
    def _edges(self) -> tuple[Indices, Indices]:
        return topology.edges(self.corners, self.offsets, self.points)

    @property
    def edges(self) -> Indices:
        """Each edge once, as two points, int32 (e, 2)."""
        return self._edges[0]

    @property
    def open_edges(self) -> Indices:
        """Edges that only one face uses, int32 (e, 2); none for a closed mesh."""
        pairs, uses = self._edges
        out: Indices = pairs[uses == 1]
        return out

    @cached_property
    def neighbours(self) -> tuple[Indices, Indices]:
        """The points that edges join to each point: starts, int32 (points + 1,), and members, int32."""
        pairs = self.edges
        both = np.concatenate([pairs, pairs[:, ::-1]])
        starts, order = topology.corners_of_points(np.ascontiguousarray(both[:, 0]), self.points)
        members: Indices = np.ascontiguousarray(both[order, 1])
        return starts, members

    @property
    def closed(self) -> bool:
        """Whether every edge joins two faces."""
        return bool(len(self.edges)) and bool((self._edges[1] == 2).all())

    def face_normals(self, points: Floats) -> Floats:
        """Normals of the faces as long as twice their areas, float32 (faces, 3)."""
        out: Floats = normals.face_normals(points, self.corners, self.offsets)
        return out

    def point_normals(self, points: Floats) -> Floats:
        """Unit normals of points at the given places, float32 (n, 3), weighted by the area of the faces around each."""
        face = normals.face_normals(points, self.corners, self.offsets, _scratch.rows(self.faces))
        return normals.point_normals(face, *self.faces_around)


def connected_parts(topology: Topology) -> Indices:
    """The number of the connected part that each point belongs to, int32 (points,)."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    edges = topology.edges
    joined = coo_matrix((np.ones(len(edges), np.bool_), (edges[:, 0], edges[:, 1])), (topology.points,) * 2)
    _, of = connected_components(joined, directed=False)
    return np.asarray(of, np.int32)
