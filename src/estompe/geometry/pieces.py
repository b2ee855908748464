"""What moves by itself in a mesh: a cell of a fracture, a connected part, a separated face, a strand, a copy."""

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.random import random_of
from estompe.kernels.mixing import Mix
from estompe.kernels.topology import corners_of_points
from estompe.kernels.types import Floats, Indices

Ids = NDArray[np.int64]


class Pieces:
    """Which points belong to which piece; the same object on all frames.

    of: int32 (points,), the piece of each point; ids: int64 (k,), what a piece is called for good; rank: float32 (k,), 0..1,
    the order in which pieces come or go, any beginning of it even; weights: float32 (points,), the share of each point in its
    piece's middle; word: "cell", "part", "face", "strand" or "copy"; pairs: int32 (e, 2), pieces that touch, if known.
    """

    def __init__(
        self,
        of: Indices,
        ids: Ids,
        rank: Floats,
        word: str,
        weights: Floats | None = None,
        pairs: Indices | None = None,
    ) -> None:
        self.of, self.ids, self.rank, self.word = of, ids, rank, word
        self._weights, self.pairs = weights, pairs

    def __len__(self) -> int:
        return len(self.ids)

    @cached_property
    def middles(self) -> Mix:
        """What each piece's middle is mixed from."""
        starts, members = corners_of_points(self.of, len(self))
        if self._weights is not None:
            return Mix(starts, members, np.ascontiguousarray(self._weights[members]))
        counts = np.maximum(np.diff(starts), 1)
        return Mix(starts, members, np.repeat(1.0 / counts, np.diff(starts)).astype(np.float32))

    @cached_property
    def means(self) -> Mix:
        """What a plain mean over each piece's points is mixed from."""
        starts, members = self.middles.starts, self.middles.members
        counts = np.maximum(np.diff(starts), 1)
        return Mix(starts, members, np.repeat(1.0 / counts, np.diff(starts)).astype(np.float32))

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held now."""
        yield from (self.of, self.ids, self.rank)
        for item in (self._weights, self.pairs):
            if item is not None:
                yield item
        for name in ("middles", "means"):
            yield from self.__dict__.get(name, ())


def even_ranks(ids: Ids, seed: int = 0) -> Floats:
    """An order for pieces that have none of their own, by their ids, float32 (k,)."""
    return random_of(ids, seed + 7919)


def weights_for(points: Floats, of: Indices, targets: NDArray[np.float64]) -> Floats:
    """Shares of points, whose mix is a given place for each piece however it is moved, turned or sized, float32 (n,).

    points: float32 (n, 3); of: int32 (n,); targets: float64 (k, 3). The shares nearest to even ones are taken.
    """
    count = len(targets)
    number = np.maximum(np.bincount(of, minlength=count), 1)
    means = np.stack([np.bincount(of, points[:, i], count) for i in range(3)], axis=1) / number[:, None]
    offsets = points - means[of]
    spread = np.empty((count, 3, 3))
    for i in range(3):
        for j in range(3):
            spread[:, i, j] = np.bincount(of, offsets[:, i] * offsets[:, j], count)
    slopes = np.einsum("kij,kj->ki", np.linalg.pinv(spread, rcond=1e-6, hermitian=True), targets - means)
    return np.asarray(1.0 / number[of] + (offsets * slopes[of]).sum(axis=1), np.float32)
