"""Where one shape's points lie inside another after all effects."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from estompe.evaluation.frame import Frame
from estompe.falloffs.surface import to_surface
from estompe.geometry import Geometry
from estompe.kernels.types import Floats, Indices

# What touches is no overlap: depths below this part of a shape's extent are rounding.
_MOST_OF_COPIES = 2_000_000
_TOUCHING = 1e-5


class Overlap(NamedTuple):
    """Points of one shape inside another, by the shapes' ids.

    points: which, int32 (k,); positions: where, float32 (k, 3), world space; depths: scene units to the surface, float32 (k,).
    """

    inside: str
    other: str
    points: Indices
    positions: Floats
    depths: Floats

    @property
    def deepest(self) -> float:
        """The largest depth, scene units."""
        return float(self.depths.max())


def overlaps(frame: Frame, pause: Callable[[], None] = lambda: None) -> list[Overlap]:
    """Every pair of visible shapes of which one has points inside the other, the deepest first.

    Parameters
    ----------
    frame : Frame
        A frame after all effects.
    pause : callable, optional
        Called between pairs; it may raise to stop the work.

    Returns
    -------
    list of Overlap
        None for shapes with open edges, since they have no inside: `open_shapes` names those.
    """
    shapes = [(shape.id, frame[shape.id]) for shape in frame.scene.shapes if shape.visible and _can_be(frame[shape.id])]
    found = []
    for other, mesh in shapes:
        if not mesh.topology.faces or not mesh.topology.closed:
            continue
        for inside, geometry in shapes:
            pause()
            if inside != other:
                found += _between(inside, geometry, other, mesh)
    return sorted(found, key=lambda item: -item.deepest)


def open_shapes(frame: Frame) -> list[str]:
    """The names of visible shapes in which nothing can lie, since they have open edges."""
    shapes = [shape for shape in frame.scene.shapes if shape.visible and _can_be(frame[shape.id])]
    return [shape.name for shape in shapes if not frame[shape.id].topology.closed]


def _can_be(geometry: Geometry) -> bool:
    """Whether a shape is looked at: it has points, and if it is copies, not more than is reasonable to make real."""
    return 0 < geometry.total_points <= (_MOST_OF_COPIES if geometry.copies_shown else np.inf)


def _between(inside: str, geometry: Geometry, other: str, mesh: Geometry) -> list[Overlap]:
    low, high = mesh.bounds
    near = np.flatnonzero(((geometry.points >= low) & (geometry.points <= high)).all(axis=1)).astype(np.int32)
    if not len(near):
        return []
    positions = np.ascontiguousarray(geometry.points[near])
    depths = -to_surface(positions, mesh, signed=True)
    deep = depths > _TOUCHING * float(np.max(high - low))
    return [Overlap(inside, other, near[deep], positions[deep], depths[deep])] if deep.any() else []
