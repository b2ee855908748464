"""Hard edges: which edges of a mesh do not shade smoothly, as the normals it came with say.

A mesh keeps those normals at its corners. What they are good for is to tell where two faces do not agree: a point on such an edge
is shaded once for each side, by a normal of its own. The normals that are shown are always computed from where the points are
now, so that they follow every effect.
"""

from collections.abc import Hashable, Mapping, Sequence
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.topology import Topology
from estompe.kernels import normals
from estompe.kernels.topology import shared_edges
from estompe.kernels.types import Floats, Indices, frozen

AUTHORED = "normal"
"""The attribute of corners that tells hard edges."""
Key = TypeVar("Key", bound=Hashable)
_SAME = float(np.cos(np.radians(2.0)))
"""Cosine of the angle up to which two normals are taken for one: files round them, some to a byte."""


class Shading(NamedTuple):
    """The points of a mesh once for each side of a hard edge.

    sources: the point that each of them is, int32 (k,); topology: the same faces over them; first: the first that each point
    became, int32 (points,); parted: those of points on hard edges, int32 (p,); starts, members: the faces around each of these.
    """

    sources: Indices
    topology: Topology
    first: Indices
    parted: Indices
    starts: Indices
    members: Indices

    def edges(self, pairs: Indices) -> Indices:
        """Edges of the mesh over these points, int32 (e, 2), each once. pairs: `Topology.edges` of the mesh."""
        return self.topology.derived("edges of the mesh", lambda: frozen(self.first[pairs]))

    def normals(self, topology: Topology, points: Floats, smooth: Floats | None) -> Floats:
        """Unit normals, float32 (k, 3), of the faces on each one's side.

        topology: the mesh's; smooth: normals of the points, where they are more than what the faces say; those on hard edges
        are of the faces all the same.
        """
        face = topology.face_normals(points)
        if smooth is None:
            return normals.point_normals(face, *self.topology.faces_around)
        made = smooth[self.sources]
        made[self.parted] = normals.point_normals(face, self.starts, self.members)
        return made


def with_normals(
    meshes: Sequence[Mapping[Key, NDArray[Any]]], key: Key, corners: Sequence[int]
) -> list[Mapping[Key, NDArray[Any]]]:
    """Attributes of meshes that become one: where one has normals, all have some, zeros for those without hard edges.

    key: what normals at corners go by; corners: how many each mesh has.
    """
    if not any(key in mesh for mesh in meshes):
        return list(meshes)
    none = (np.zeros((count, 3), np.float32) for count in corners)
    return [mesh if key in mesh else {**mesh, key: zeros} for mesh, zeros in zip(meshes, none, strict=True)]


def shading_of(topology: Topology, authored: Floats) -> Shading | None:
    """How a mesh with these normals at its corners is shaded; None where no edge is hard. authored: float32 (corners, 3)."""
    here, there, smooth = _meetings(topology, authored)
    if smooth.all():
        return None
    sides, sources = _sides(topology, here[smooth], there[smooth])
    made = Topology(frozen(sides), topology.offsets, len(sources))
    counts = np.bincount(sources, minlength=topology.points)
    parted = np.flatnonzero(counts[sources] > 1).astype(np.int32)
    first = np.zeros(topology.points, np.int32)
    first[sources[::-1]] = np.arange(len(sources) - 1, -1, -1, dtype=np.int32)
    starts, members = made.faces_around
    sizes = np.diff(starts)[parted]
    chosen = np.repeat(starts[parted] - np.concatenate([[0], np.cumsum(sizes)[:-1]]), sizes) + np.arange(sizes.sum())
    own = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
    return Shading(frozen(sources), made, frozen(first), frozen(parted), frozen(own), frozen(members[chosen]))


def has_hard_edges(topology: Topology, authored: Floats) -> bool:
    """Whether normals at corners tell any hard edge. authored: float32 (corners, 3)."""
    return not bool(_meetings(topology, authored)[2].all())


def _meetings(topology: Topology, authored: Floats) -> tuple[Indices, Indices, NDArray[np.bool_]]:
    """Corners that meet at the ends of shared edges, int32 (2 e,) twice, and whether the edge between their faces is smooth."""
    lengths = np.sqrt(np.einsum("ij,ij->i", authored, authored))
    unit = authored / np.maximum(lengths, np.float32(1e-20))[:, None]
    here, there = shared_edges(topology.corners, topology.offsets, topology.points)
    none = lengths == 0
    agree = (np.einsum("ij,ij->i", unit[here], unit[there]) >= _SAME) | (none[here] & none[there])
    return here, there, np.repeat(agree.reshape(-1, 2).all(axis=1), 2)


def _sides(topology: Topology, here: Indices, there: Indices) -> tuple[Indices, Indices]:
    """Corners that smooth edges join as one: the number of each corner's, int32 (corners,), and the point each is, int32 (k,).

    They are numbered by their points, those without corners too, so that few numbers change where few edges are hard.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    count = len(topology.corners)
    joined = coo_matrix((np.ones(len(here), np.bool_), (here, there)), (count, count))
    _, of = connected_components(joined, directed=False)
    bare = np.setdiff1d(np.arange(topology.points), topology.corners)
    _, lowest = np.unique(of, return_index=True)
    points = np.concatenate([topology.corners[lowest], bare])
    order = np.lexsort((np.concatenate([lowest, np.zeros(len(bare), np.int64)]), points))
    number = np.empty(len(order), np.int32)
    number[order] = np.arange(len(order), dtype=np.int32)
    return number[of], points[order].astype(np.int32)
