"""Paces of things that swing: each place of a lattice has one of its own, and all can be back at once, so that a loop closes.

A place's phase is its pace times the part of the loop that has passed, both whole numbers, so nothing drifts however long a shot
is. In a loop paces are whole swings a loop. Without one the loop is so long that no shot comes to its end.
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inlined

NEVER = 65_536
"""Swings after which everything is back where no loop is wanted: over 10 000 frames at 150 swings a second."""
_MOST_SPAN = 2**17 - 1


class Swings(NamedTuple):
    """Time as kernels take it, uint32 each: how much of the loop has passed, of 2^32, the slowest pace, and how many."""

    turn: np.uint32
    slowest: np.uint32
    paces: np.uint32


def swings(phase: float, turns: int = 0) -> Swings:
    """Return the time for swinging lattices.

    Parameters
    ----------
    phase : float
        Swings of the mean pace since the beginning.
    turns : int
        Swings after which all places are back at once; 0 for never.

    Returns
    -------
    Swings
        Paces lie within a quarter of the mean.
    """
    loop = turns or NEVER
    part = int(phase / loop % 1.0 * 2.0**32) % 2**32
    away = loop // 4 if turns == 0 or turns > 7 else min(1, turns - 1)
    slowest = loop - away + (1 if turns == 0 else 0)
    return Swings(np.uint32(part), np.uint32(slowest), np.uint32(min(2 * away + (1 if turns else 0), _MOST_SPAN)))


@inlined
def pace_of(bits, slowest, paces):
    """The pace of a lattice place by its hash: swings a loop."""
    return np.uint32(slowest + np.uint32(np.uint32(np.uint32(bits >> np.uint32(17)) * paces) >> np.uint32(15)))
