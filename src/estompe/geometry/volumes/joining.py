"""Several volumes as one: together, one without others, or what all have in common, with joints that are sharp or filleted."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Geometry
from estompe.geometry.transforms import Matrix
from estompe.geometry.volumes.solid import BAND
from estompe.kernels.surface import nearest_on_surface
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.band import gathered, trimmed
from estompe.kernels.volumes.bricks import (
    INSIDE,
    OUTSIDE,
    Bricks,
    Lattice,
    numbered,
    on_lattice,
    placed_lattice,
    voxel_places,
    within,
)


class Part(NamedTuple):
    """A volume that is joined: bricks; the mesh it was made from, in world space; sign: -1 for its outside instead."""

    bricks: Bricks
    mesh: Geometry
    sign: float = 1.0


def lattice_of_all(parts: list[Bricks]) -> Lattice:
    """One lattice that holds all volumes, which have voxels of one size."""
    size = parts[0].lattice.size
    first = np.min([part.lattice.first for part in parts], axis=0)
    last = np.max([part.lattice.first + part.lattice.shape for part in parts], axis=0)
    nz, ny, nx = (int(count) for count in last - first)
    return placed_lattice(first, size, (nz, ny, nx))


def together(
    parts: list[Part], frame: Matrix, radius: float = 0.0, weight: Callable[[Lattice, Indices], Floats] | None = None
) -> Bricks:
    """What any of the parts encloses.

    Parameters
    ----------
    parts : list of Part
        At least one.
    frame : float64 (3, 4)
        Where their lattice stands.
    radius : float
        Of the fillet where surfaces meet, scene units: where the ways to several parts are shorter than it, the surface lies
        where `r - |max(r - d, 0)|` is zero, d being the vector of the ways.
    weight : callable, optional
        How much of the radius counts on the voxels of bricks, given a lattice and `Bricks.where` on it: float32 (slots, 512).

    Returns
    -------
    Bricks
        Within `BAND` voxels; no distances where there is a fillet.
    """
    lattice = lattice_of_all([part.bricks for part in parts])
    placed = [part._replace(bricks=on_lattice(part.bricks, lattice)) for part in parts]
    reach = radius / lattice.size
    joint = _joints(placed, reach) if reach > 0.0 and len(parts) > 1 else np.zeros(lattice.shape, np.bool_)
    table, where = _table(placed, lattice, joint)
    smallest = np.full((len(where), 512), np.float32(BAND))
    for part in placed:
        np.minimum(smallest, gathered(part.bricks, where) * np.float32(part.sign), out=smallest)
    slots = np.flatnonzero(joint[tuple(where.T)])
    if len(slots):
        smallest[slots] = _filleted(placed, frame, where[slots], reach, weight)
    values = np.clip(smallest, -BAND, BAND)
    return trimmed(Bricks(lattice, table, where, values, BAND), BAND)


def _table(parts: list[Part], lattice: Lattice, joint: NDArray[np.bool_]) -> tuple[Indices, Indices]:
    inside, stored = np.zeros(lattice.shape, np.bool_), joint.copy()
    for part in parts:
        inside |= part.bricks.table == (INSIDE if part.sign > 0.0 else OUTSIDE)
        stored |= part.bricks.table >= 0
    return numbered(stored & ~inside, np.where(inside, np.int32(INSIDE), np.int32(OUTSIDE)))


def _joints(parts: list[Part], reach: float) -> NDArray[np.bool_]:
    """The bricks in which at least two surfaces may be within reach, voxels."""
    near = np.zeros(parts[0].bricks.table.shape, np.int16)
    for part in parts:
        near += within(part.bricks.table >= 0, reach)
    return near >= 2


def _filleted(
    parts: list[Part],
    frame: Matrix,
    where: Indices,
    reach: float,
    weight: Callable[[Lattice, Indices], Floats] | None,
) -> Floats:
    """The joined values on bricks where surfaces meet, float32 (slots, 512)."""
    lattice = parts[0].bricks.lattice
    places = transformed(voxel_places(lattice, where), frame).reshape(-1, 512, 3)
    radius = np.full((len(where), 512), np.float32(reach))
    if weight is not None:
        radius *= np.maximum(weight(lattice, where), np.float32(0.0))
    smallest = np.full(radius.shape, np.float32(1e9))
    squares = np.zeros(radius.shape, np.float32)
    for part in parts:
        ways = _ways(part, where, places, lattice.size, reach)
        np.minimum(smallest, ways, out=smallest)
        squares += np.maximum(radius - ways, np.float32(0.0)) ** 2
    made = np.maximum(radius, smallest) - np.sqrt(squares)
    return np.where(radius > 0.0, made, smallest)


def _ways(part: Part, where: Indices, places: Floats, size: float, reach: float) -> Floats:
    """Signed distances of a part on bricks, voxels: as they are stored, and beyond the band looked for up to the reach."""
    ways = gathered(part.bricks, where)
    beyond = np.abs(ways) >= part.bricks.most
    if beyond.any():
        most = (reach + 2.0) * size
        near = np.ascontiguousarray(places[beyond])
        found = nearest_on_surface(near, part.mesh.tree, most=most, within=most, in_rows=True)
        ways[beyond] = np.sign(ways[beyond]) * (found.distance / np.float32(size))
    return ways * np.float32(part.sign)
