"""Tiles of large pictures, and places within a pixel."""

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

TILE = 2048
"""The side of a tile, pixels."""


class Tile(NamedTuple):
    """A part of a picture: its left and upper edge, width and height, in pixels."""

    left: int
    top: int
    width: int
    height: int

    @property
    def area(self) -> tuple[slice, slice]:
        """Its rows and columns in the picture."""
        return slice(self.top, self.top + self.height), slice(self.left, self.left + self.width)


def tiles_of(size: tuple[int, int], side: int = TILE) -> Iterator[Tile]:
    """The tiles of a picture, row after row."""
    for top in range(0, size[1], side):
        for left in range(0, size[0], side):
            yield Tile(left, top, min(side, size[0] - left), min(side, size[1] - top))


def jitters(samples: int) -> list[tuple[float, float]]:
    """Offsets within a pixel, the middle first: the R2 sequence (Roberts, "The Unreasonable Effectiveness of ...", 2018)."""
    golden = 1.32471795724474602596
    steps = [((0.5 + k / golden) % 1.0 - 0.5, (0.5 + k / golden**2) % 1.0 - 0.5) for k in range(samples)]
    return [(float(x), float(y)) for x, y in steps]


def cropped(projection: Any, size: tuple[int, int], tile: Tile, offset: tuple[float, float]) -> Any:
    """A projection of which only a tile is seen, its pixels moved by an offset."""
    crop = np.eye(4)
    for axis, (whole, begin, side) in enumerate(((size[0], tile.left, tile.width), (size[1], tile.top, tile.height))):
        middle = (2 * begin + side) / whole - 1.0
        crop[axis, axis] = whole / side
        crop[axis, 3] = -middle * whole / side - 2.0 * offset[axis] / side
    return crop @ projection
