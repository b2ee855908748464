"""A shape before any effect, which stays the same from frame to frame."""

from collections.abc import Callable, Hashable, Iterator
from typing import Any, TypeVar
from weakref import ref

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.derived import Derived
from estompe.geometry.topology import Topology
from estompe.kernels.surface import triangle_order
from estompe.kernels.types import Floats, Indices

Made = TypeVar("Made")
_MOST_DERIVED = 6


class Rest:
    """Where points are before any effect, float32 (n, 3), in the shape's own space, and what was found out about it."""

    def __init__(
        self,
        positions: Floats,
        extent_of: Callable[[int], tuple[float, float]] | None = None,
        placed_at: Floats | None = None,
    ) -> None:
        self.positions = positions
        self._placed_at = placed_at
        # Where these are but places of some elements, the ends are those of the whole.
        self._extent_of = extent_of
        self._extents: dict[int, tuple[float, float]] = {}
        self._order: tuple[Topology, Indices] | None = None
        # Weak, since the other may be this very one, and circles wait for the collector with all their arrays.
        self._beside: tuple[ref[Rest], Rest] | None = None
        self._derived = Derived(_MOST_DERIVED)

    def derived(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What a stage makes from the shape at rest, whatever becomes of it later; the last few are kept with it.

        key: a name, and what else decides the result.
        """
        return self._derived.get(key, make)

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held now, those made from the rest included."""
        yield self.positions
        yield from self._derived.arrays()

    def extent(self, axis: int) -> tuple[float, float]:
        """The lowest and highest position along an axis (0 is X), scene units; zeros where there are no points."""
        if axis not in self._extents:
            whole = self._extent_of
            self._extents[axis] = whole(axis) if whole is not None else extent(self.positions, axis)
        return self._extents[axis]

    def triangle_order(self, topology: Topology) -> Indices:
        """The triangles of a mesh of these points, neighbours near each other, int32 (t,).

        It serves the mesh on every frame: its tree is then only filled, and does not depend on the frames before.
        """
        if self._order is None or self._order[0] is not topology:
            places = self.positions if self._placed_at is None else self._placed_at
            self._order = topology, triangle_order(places, topology.triangles)
        return self._order[1]

    def placed_at(self, positions: Floats) -> "Rest":
        """The same rest, of a mesh that is new on each frame: what lies near each other is told by where it is now."""
        return Rest(self.positions, self.extent, positions)

    def joined_with(self, other: "Rest") -> "Rest":
        """These positions and another mesh's after them; the same for the same meshes, so that what hangs on it is kept."""
        if self._beside is None or self._beside[0]() is not other:
            positions = np.concatenate([self.positions, other.positions])
            positions.setflags(write=False)
            self._beside = ref(other), Rest(positions)
        return self._beside[1]


def extent(points: Floats, axis: int) -> tuple[float, float]:
    """The lowest and highest of points, float32 (n, 3), along an axis; zeros where there are none."""
    if not len(points):
        return 0.0, 0.0
    # Make the column contiguous first: min and max over a strided view take four times as long.
    along = np.ascontiguousarray(points[:, axis])
    return float(along.min()), float(along.max())
