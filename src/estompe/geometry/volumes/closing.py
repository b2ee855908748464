"""Lids over flat holes, so that an open mesh becomes a closed one."""

import numpy as np

from estompe.geometry.geometry import Attributes, Domain, Geometry, GeometryError
from estompe.geometry.topology import Topology
from estompe.kernels.types import Indices, frozen

_FLAT = 1e-3
"""How far a hole's border may lie off its plane, of its size."""


def closed_flat(mesh: Geometry) -> Geometry:
    """The mesh with a face over every hole whose border is flat at rest. Raises GeometryError for one that is not."""
    topology = mesh.topology
    if topology.closed:
        return mesh
    made, lids = topology.derived("closed flat", lambda: _with_lids(mesh))
    attributes: Attributes = {key: _extended(key[0], values, lids) for key, values in mesh.attributes.items()}
    return Geometry(mesh.points, made, attributes, mesh.at_rest, mesh.notes, mesh.piece_axes)


def _extended(domain: Domain, values: np.ndarray, lids: tuple[int, int]) -> np.ndarray:
    """Values for the new faces and corners: zeros."""
    more = {Domain.FACE: lids[0], Domain.CORNER: lids[1]}.get(domain, 0)
    return values if not more else frozen(np.concatenate([values, np.zeros((more, *values.shape[1:]), values.dtype)]))


def _with_lids(mesh: Geometry) -> tuple[Topology, tuple[int, int]]:
    topology = mesh.topology
    loops = border_loops(topology)
    for loop in loops:
        places = mesh.rest[loop].astype(np.float64)
        offsets = places - places.mean(axis=0)
        _, sizes, _ = np.linalg.svd(offsets, full_matrices=False)
        if len(loop) > 3 and sizes[2] > _FLAT * max(sizes[0], 1e-12):
            raise GeometryError(f"a hole of {len(loop)} edges is not flat: close it where the mesh was made")
    corners = np.concatenate([topology.corners, *loops]).astype(np.int32)
    sizes_of = np.concatenate([np.diff(topology.offsets), [len(loop) for loop in loops]])
    offsets_of = np.concatenate([[0], np.cumsum(sizes_of)]).astype(np.int32)
    lids = len(loops), sum(map(len, loops))
    return Topology(
        frozen(corners), frozen(offsets_of), topology.points, topology.parted, numbering=topology.numbering
    ), lids


def border_loops(topology: Topology) -> list[Indices]:
    """The borders as rings of points, in the direction that a lid's corners run. Raises GeometryError where they branch."""
    corners, offsets = topology.corners, topology.offsets
    following = np.roll(corners, -1)
    sizes = np.diff(offsets)
    following[offsets[1:][sizes > 0] - 1] = corners[offsets[:-1][sizes > 0]]
    there = set(zip(corners.tolist(), following.tolist(), strict=True))
    # A lid runs against the faces beside it.
    onward: dict[int, int] = {}
    for a, b in there:
        if (b, a) not in there:
            if b in onward:
                raise GeometryError("two holes touch at a point: close them where the mesh was made")
            onward[b] = a
    loops = []
    while onward:
        start = min(onward)
        ring = [start]
        point = onward.pop(start)
        while point != start:
            ring.append(point)
            if point not in onward:
                raise GeometryError("the border of a hole does not close: mend the mesh where it was made")
            point = onward.pop(point)
        loops.append(np.array(ring, np.int32))
    return loops
