"""Meshes with fewer faces, and meshes laid together."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Attributes, Domain, Geometry, frozen
from estompe.geometry.topology import Topology


def kept(mesh: Geometry, faces: NDArray[np.bool_]) -> Geometry:
    """The mesh with some of its faces; points keep their numbers, so those without a face stay, unseen.

    faces: bool (faces,). Where all are kept the same mesh comes back.
    """
    if faces.all():
        return mesh
    sizes = np.diff(mesh.topology.offsets)
    corners = np.repeat(faces, sizes)
    offsets = np.concatenate([[0], np.cumsum(sizes[faces])]).astype(np.int32)
    topology = Topology(frozen(mesh.topology.corners[corners]), frozen(offsets), len(mesh.points))
    chosen = {Domain.CORNER: corners, Domain.FACE: faces}
    attributes = {
        key: frozen(values[chosen[key[0]]]) if key[0] in chosen else values for key, values in mesh.attributes.items()
    }
    return Geometry(mesh.points, topology, attributes, mesh.rest)


def on_faces(mesh: Geometry, values: NDArray[np.float32]) -> NDArray[np.float32]:
    """The mean of point values over each face's corners, float32 (faces,)."""
    topology = mesh.topology
    sums = np.bincount(topology.corner_faces, values[topology.corners], minlength=topology.faces)
    return (sums / np.maximum(np.diff(topology.offsets), 1)).astype(np.float32)


def laid_together(first: Geometry, second: Geometry) -> Geometry:
    """Two meshes as one; attributes that both have go on, others end."""
    a, b = first.topology, second.topology
    corners = np.concatenate([a.corners, b.corners + np.int32(len(first.points))])
    offsets = np.concatenate([a.offsets, b.offsets[1:] + a.offsets[-1]])
    points = np.concatenate([first.points, second.points])
    attributes: dict[tuple[Domain, str], NDArray[Any]] = {}
    for key in first.attributes.keys() & second.attributes.keys():
        one, other = first.attributes[key], second.attributes[key]
        if key[0] is Domain.WHOLE:
            attributes[key] = one
        elif one.shape[1:] == other.shape[1:]:
            attributes[key] = frozen(np.concatenate([one, other]))
    rest = frozen(np.concatenate([first.rest, second.rest]))
    return Geometry(points, Topology(frozen(corners), frozen(offsets), len(points)), _sorted(attributes), rest)


def _sorted(attributes: Attributes) -> Attributes:
    """By name, so that the same meshes give the same order on every run."""
    return dict(sorted(attributes.items()))
