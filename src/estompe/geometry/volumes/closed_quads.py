"""Closed meshes of quads, whose faces may be other ones on each frame: what follows from them is found without sorting."""

from functools import cached_property

import numpy as np

from estompe.geometry.topology import Topology
from estompe.kernels.types import Indices, frozen
from estompe.kernels.volumes import quads


class ClosedQuads(Topology):
    """Quads over numbered points, each edge used by exactly two of them, once each way.

    corners: int32 (4 q,); points: how many.
    """

    def __init__(self, corners: Indices, points: int) -> None:
        offsets = np.arange(0, len(corners) + 1, 4, dtype=np.int32)
        super().__init__(frozen(corners), frozen(offsets), points)

    @cached_property
    def _sides(self) -> tuple[Indices, Indices]:
        return quads.edges_of_quads(self.corners)

    @cached_property
    def _edges(self) -> tuple[Indices, Indices]:  # type: ignore[override]
        pairs = self._sides[0]
        return pairs, np.full(len(pairs), 2, np.int32)

    @property
    def closed(self) -> bool:
        return bool(len(self.corners))

    @cached_property
    def neighbours(self) -> tuple[Indices, Indices]:  # type: ignore[override]
        return quads.neighbours_of_quads(self.corners, self.points)

    @cached_property
    def triangle_edges(self) -> Indices:  # type: ignore[override]
        return quads.triangle_edges_of_quads(self.corners, self._sides[1], self.corners_around)
