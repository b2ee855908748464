"""Meshes with fewer faces, and meshes laid together."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Attributes, Domain, Geometry
from estompe.geometry.pieces import Pieces
from estompe.geometry.shading import AUTHORED, with_normals
from estompe.geometry.topology import Topology
from estompe.kernels.topology import face_means
from estompe.kernels.types import frozen


def kept(mesh: Geometry, faces: NDArray[np.bool_]) -> Geometry:
    """The mesh with some of its faces; points keep their numbers, so those without a face stay, unseen.

    faces: bool (faces,). Where all are kept the same mesh comes back.
    """
    if faces.all():
        return mesh
    topology, corners = mesh.topology.derived(("kept", faces.tobytes()), lambda: _kept(mesh.topology, faces))
    chosen = {Domain.CORNER: corners, Domain.FACE: faces}
    attributes = {
        key: frozen(np.compress(chosen[key[0]], values, axis=0)) if key[0] in chosen else values
        for key, values in mesh.attributes.items()
    }
    made = Geometry(mesh.points, topology, attributes, mesh.at_rest, axes=mesh.piece_axes)
    # Pieces keep the normals they had together; so they do when some of them go.
    if topology.parted is None:
        return made
    if mesh.shading is None:
        return made.moved(made.points, mesh.normals)
    # On a hard edge of which one side went, what is left faces its own way.
    return made.moved(made.points, made.mean_normals(mesh.corner_normals[corners]))


def _kept(topology: Topology, faces: NDArray[np.bool_]) -> tuple[Topology, NDArray[np.bool_]]:
    """The faces that are kept, and which corners those are."""
    sizes = np.diff(topology.offsets)
    corners = np.repeat(faces, sizes)
    offsets = np.concatenate([[0], np.cumsum(sizes[faces])]).astype(np.int32)
    made = Topology(
        frozen(topology.corners[corners]),
        frozen(offsets),
        topology.points,
        topology.parted,
        topology.lines,
        topology.numbering,
    )
    return made, corners


def on_faces(mesh: Geometry, values: NDArray[np.float32]) -> NDArray[np.float32]:
    """The mean of point values over each face's corners, float32 (faces,)."""
    return face_means(values, mesh.topology.corners, mesh.topology.offsets)


def laid_together(first: Geometry, second: Geometry) -> Geometry:
    """Two meshes as one; attributes that both have go on, others end."""
    topology = first.topology.derived(("beside", second.topology), lambda: _beside(first.topology, second.topology))
    points = np.concatenate([first.points, second.points])
    attributes: dict[tuple[Domain, str], NDArray[Any]] = {}
    counts = len(first.topology.corners), len(second.topology.corners)
    own, added = with_normals((first.attributes, second.attributes), (Domain.CORNER, AUTHORED), counts)
    for key in own.keys() & added.keys():
        one, other = own[key], added[key]
        if key[0] is Domain.WHOLE:
            attributes[key] = one
        elif one.shape[1:] == other.shape[1:]:
            attributes[key] = frozen(np.concatenate([one, other]))
    rest = first.at_rest.joined_with(second.at_rest)
    return Geometry(points, topology, _sorted(attributes), rest, axes=first.piece_axes)


def _beside(first: Topology, second: Topology) -> Topology:
    corners = np.concatenate([first.corners, second.corners + np.int32(first.points)])
    offsets = np.concatenate([first.offsets, second.offsets[1:] + first.offsets[-1]])
    parted = None
    if first.parted is not None and second.parted is not None and len(first.parted) == len(second.parted):
        # Two layers of the same pieces: each goes on as one.
        of = frozen(np.concatenate([first.parted.of, second.parted.of]))
        parted = Pieces(of, first.parted.ids, first.parted.rank, first.parted.word)
    return Topology(frozen(corners), frozen(offsets), first.points + second.points, parted)


def _sorted(attributes: Attributes) -> Attributes:
    """By name, so that the same meshes give the same order on every run."""
    return dict(sorted(attributes.items()))
