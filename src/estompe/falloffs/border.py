"""How far inside a border elements lie: of an array of copies, or of an open surface."""

from typing import ClassVar

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register

_FLAT = 1e-5
"""An array is flat along an axis when it is thinner than this, of its size."""


@register
class Border(Source, tag="border"):
    """Scene units to the nearest open edge of the surface at rest, or to the nearest side of the array of copies."""

    group: ClassVar[str] = "surface"
    label: ClassVar[str] = "Border"
    text: ClassVar[str] = "How far inside the border of an open surface, or of an array of copies, each element lies."
    words: ClassVar[str] = (
        "edge distance, boundary, rim, outline distance, contour, margin, open edge, seam, border distance, edge mask"
    )

    def reads(self) -> tuple[str, ...]:
        return "rest", "topology", "matrix"

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        linear = context.shape_matrix[:, :3].astype(np.float32)
        loops = None if elements.are_copies else elements.border_loops()
        if loops is None:
            return _inside_box(elements.rest, np.linalg.norm(linear, axis=0))
        if not loops:
            # A closed surface has no border: all of it lies as far inside as the shape is large.
            ends = [elements.rest_extent(axis) for axis in range(3)]
            size = np.linalg.norm(np.array([high - low for low, high in ends]) * np.linalg.norm(linear, axis=0))
            return np.full(len(elements), size, np.float32)
        places = np.ascontiguousarray(elements.rest @ linear.T)
        found = np.full(len(places), np.inf, np.float32)
        for loop in loops:
            line = loop @ linear.T
            np.minimum(found, nearest_on_polyline(places, np.concatenate([line, line[:1]]))[0], out=found)
        return found


def _inside_box(places: Floats, sizes: Floats) -> Floats:
    """How far each place is from the nearest side of the box around all, in the directions in which there is any extent."""
    if not len(places):
        return np.zeros(0, np.float32)
    low, high = places.min(axis=0), places.max(axis=0)
    extent = (high - low) * sizes
    wide = extent > _FLAT * max(float(extent.max()), 1e-30)
    if not wide.any():
        return np.zeros(len(places), np.float32)
    inside = np.minimum(places - low, high - places) * sizes
    return np.asarray(inside[:, wide].min(axis=1), np.float32)
