"""A slice through a shape's volume: lines along which places on a plane are equally far from its surface."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from estompe.analysis.fronts import front_lines
from estompe.evaluation.frame import Frame
from estompe.geometry.volumes.solid import Solid, rounded
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.band import rebricked, redistanced
from estompe.kernels.volumes.bricks import sampled

_MOST_ACROSS = 480
_WIDTH = 3
"""How many lines to each side of the surface."""


class Contour(NamedTuple):
    """Places at one distance from the surface, negative inside, as segments, float32 (k, 2, 3), world space."""

    distance: float
    segments: Floats


class Slice(NamedTuple):
    """A plane through a volume.

    axis: of the shape, 0 is X; share: where it lies between the two ends of the volume; corners: float64 (4, 3), its rectangle in
    world space; contours: from the inside out; spacing: between two of them, scene units; voxel: the size of one; way:
    float64 (3,), from the low end of the volume to the high one.
    """

    axis: int
    share: float
    corners: Floats
    contours: list[Contour]
    spacing: float
    voxel: float
    way: Floats


def solid_in(frame: Frame, shape: str) -> Solid | None:
    """The volume that a shape on a frame was last taken from; None where no effect made one."""
    for geometry in reversed(frame.states_of(shape)):
        solid: Solid | None = geometry.solid if geometry.solid is not None else geometry.layer
        if solid is not None and len(solid.bricks.where):
            return solid
    return None


def straight(solid: Solid, go_on: Callable[[], None] = lambda: None) -> Solid:
    """The same volume with distances to its surface, whatever field it was taken from."""
    return solid.with_bricks(redistanced(rebricked(solid.bricks), go_on))


def slice_of(solid: Solid, axis: int, share: float) -> Slice:
    """Cut a volume by a plane.

    Parameters
    ----------
    solid : Solid
        The volume.
    axis : int
        The axis of its lattice that the plane stands on: 0 is X.
    share : float
        Where, from 0 at its low end to 1.

    Returns
    -------
    Slice
        With lines at the surface and at even distances to both sides, as far as distances are kept.
    """
    bricks = solid.bricks
    near = np.abs(bricks.values).min(axis=1) < 1.0
    where = bricks.where[near] if near.any() else bricks.where
    low = where.min(axis=0)[::-1] * 8.0
    high = (where.max(axis=0)[::-1] + 1) * 8.0
    at = low[axis] + (high[axis] - low[axis]) * float(np.clip(share, 0.0, 1.0))
    first, second = (axis + 1) % 3, (axis + 2) % 3
    step = max(1.0, (high - low).max() / _MOST_ACROSS)
    across = np.arange(low[first], high[first] + 1e-6, step), np.arange(low[second], high[second] + 1e-6, step)
    places = np.empty((len(across[0]), len(across[1]), 3), np.float64)
    places[..., axis], places[..., first], places[..., second] = at, across[0][:, None], across[1][None, :]
    local = (places.reshape(-1, 3) * solid.size + bricks.lattice.origin).astype(np.float32)
    values = sampled(bricks, local) * np.float32(solid.size)
    points = transformed(local, solid.frame)
    spacing = rounded(solid.size * bricks.most / (_WIDTH + 1))
    contours = []
    for count in range(-_WIDTH, _WIDTH + 1):
        # Lines are where values pass a whole number.
        shifted = (values - np.float32(count * spacing)).astype(np.float32)
        for line in front_lines(points, _triangles(len(across[0]), len(across[1])), shifted, [0]):
            contours.append(Contour(count * spacing, line.segments))
    ends = [(low, low), (high, low), (high, high), (low, high)]
    corners = np.array([_corner(axis, at, u[first], v[second]) for u, v in ends])
    world = transformed((corners * solid.size + bricks.lattice.origin).astype(np.float32), solid.frame)
    way = solid.frame[:, axis] * (high[axis] - low[axis]) * solid.size
    return Slice(axis, share, world, contours, spacing, solid.size, way)


def _corner(axis: int, at: float, first: float, second: float) -> list[float]:
    place = [0.0, 0.0, 0.0]
    place[axis], place[(axis + 1) % 3], place[(axis + 2) % 3] = at, first, second
    return place


def _triangles(rows: int, columns: int) -> Indices:
    number = np.arange(rows * columns, dtype=np.int32).reshape(rows, columns)
    a, b, c, d = (part.reshape(-1) for part in (number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]))
    return np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
