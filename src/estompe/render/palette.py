"""The strength colours: one scale everywhere, lightness falling evenly from nothing to full, blue below zero."""

import functools

import numpy as np
from numpy.typing import NDArray

STOPS = ("#EDE7DA", "#E0B184", "#C8693B", "#8C2F1B", "#35100C")
BELOW = "#1D3F5E"
SIZE = 256


def rgb(text: str) -> tuple[int, int, int]:
    """A colour written #RRGGBB as three numbers 0..255."""
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def _between(stops: tuple[str, ...], count: int) -> NDArray[np.uint8]:
    colors = np.array([rgb(stop) for stop in stops], np.float64)
    at = np.linspace(0, len(stops) - 1, count)
    channels = [np.interp(at, np.arange(len(stops)), colors[:, k]) for k in range(3)]
    return np.rint(np.stack(channels, axis=1)).astype(np.uint8)


@functools.cache
def strength_table() -> NDArray[np.uint8]:
    """Colours for strengths -1..1, uint8 (2 * SIZE, 3): the first half below zero, the second from 0 to 1. Read-only."""
    table = np.concatenate([_between((BELOW, STOPS[0]), SIZE), _between(STOPS, SIZE)])
    table.setflags(write=False)
    return table


def strength_colors(strength: NDArray[np.float32]) -> NDArray[np.uint8]:
    """The colour of each strength, uint8 (…, 3)."""
    index = np.clip((strength + 1.0) * SIZE, 0, 2 * SIZE - 1).astype(np.int32)
    colors: NDArray[np.uint8] = strength_table()[index]
    return colors
