"""Fronts of a volume: one field of arrival times, of which any moment is a surface; and growth by steps."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.band import distances_on, gathered, near_front
from estompe.kernels.volumes.bricks import (
    CELLS,
    FAR,
    INSIDE,
    OUTSIDE,
    Bricks,
    Lattice,
    load,
    marked_bricks,
    numbered,
    widened,
    within,
)
from estompe.kernels.volumes.eikonal import arrival

_START = 1.5
"""Voxels before the surface up to which times are taken from the distance itself."""
STILL = np.float32(5e3)
"""The way at full speed that passes while a voxel is crossed, from which on a front counts as standing still."""


class Region(NamedTuple):
    """The bricks in which a front may come to be: table and where as `Bricks` holds them; own: the slots of the start, or -1
    -2.
    """

    lattice: Lattice
    table: Indices
    where: Indices
    own: Indices


def region_around(start: Bricks, reach: float, inwards: bool = False) -> Region:
    """All bricks that a front may come to within so many voxels; the lattice must have room for them."""
    table = start.table
    chosen = (table >= 0) | ((table == (INSIDE if inwards else OUTSIDE)) & within(table >= 0, reach))
    numbers, where = numbered(chosen, np.where(table == INSIDE, np.int32(INSIDE), np.int32(OUTSIDE)))
    return Region(start.lattice, numbers, where, np.ascontiguousarray(table[chosen]))


@parallel_kernel
def _begin(own, values, slow, way, most, reach, times, cost):
    """Times from the distance up to so many voxels before the surface; nothing is known beyond."""
    for s in prange(own.shape[0]):
        k = own[s]
        for i in range(512):
            d = way * (values[k, i] if k >= 0 else (most if k == -1 else -most))
            if d <= reach:
                times[s, i], cost[s, i] = d * slow[s, i], np.float32(0.0)
            else:
                times[s, i], cost[s, i] = FAR, slow[s, i]


@parallel_kernel
def _ends(table, where, times, low, high):
    """The earliest and latest time of each brick with one voxel more on each side."""
    for s in prange(where.shape[0]):
        block = np.empty(1000, np.float32)
        load(table, times, where[s, 0], where[s, 1], where[s, 2], FAR, 1, 1, block)
        a, b = np.float32(3e38), np.float32(-3e38)
        for i in range(1000):
            a, b = min(a, block[i]), max(b, block[i])
        low[s], high[s] = a, b


@parallel_kernel
def _at(chosen, times, slow, moment, most, way, out):
    for c in prange(chosen.shape[0]):
        s = chosen[c]
        for i in range(512):
            out[c, i] = way * min(max((times[s, i] - moment) / slow[s, i], -most), most)


class Front(NamedTuple):
    """A growth that has been solved.

    region: where; times: float32 (slots, 512), the way at full speed, in voxels, after which each is reached; slow, cost: the way
    it takes to cross a voxel, and the same with 0 where times were given; low, high: float32 (slots,), the ends of each brick's
    times with a voxel around it; inwards: whether it went to the inside.
    """

    region: Region
    times: Floats
    slow: Floats
    cost: Floats
    low: Floats
    high: Floats
    inwards: bool

    def arrays(self) -> list[NDArray[np.generic]]:
        """The arrays."""
        return [
            self.region.table,
            self.region.where,
            self.region.own,
            self.times,
            self.slow,
            self.cost,
            self.low,
            self.high,
        ]

    def at(self, moment: float, most: float = 4.0) -> Bricks:
        """The volume after so many voxels of way at full speed: bricks near its surface only."""
        lattice, table, where, _ = self.region
        chosen = np.flatnonzero((self.low <= moment) & (self.high > moment))
        near = widened(marked_bricks(table.shape, where[chosen])) & (table >= 0)
        # Grown: beyond is outside, what is passed inside; the other way round for a front that goes inwards.
        behind, ahead = (OUTSIDE, INSIDE) if self.inwards else (INSIDE, OUTSIDE)
        side = np.full(table.shape, ahead, np.int32)
        side[table == behind] = behind
        side[tuple(where[self.high <= moment].T)] = behind
        numbers, places = numbered(near, side)
        out = np.empty((len(places), CELLS), np.float32)
        way = np.float32(-1.0 if self.inwards else 1.0)
        slots = np.ascontiguousarray(table[near])
        _at(slots, read_only(self.times), read_only(self.slow), np.float32(moment), np.float32(most), way, out)
        return Bricks(lattice, numbers, places, out, float(most))


def front_of(
    start: Bricks,
    region: Region,
    slow: Floats,
    until: float,
    inwards: bool = False,
    go_on: Callable[[], None] = lambda: None,
) -> Front:
    """Solve when a front reaches each voxel.

    Parameters
    ----------
    start : Bricks
        Signed distances with a band of at least two voxels.
    region : Region
        Where to solve.
    slow : float32 (slots, 512)
        The way at full speed that passes while a voxel is crossed: 1 at full speed, more where it is slower.
    until : float
        The way at full speed, voxels, beyond which nothing is looked for.
    inwards : bool
        Whether it eats into the volume.
    go_on : callable
        Called between rounds; it may raise.

    Returns
    -------
    Front
        Times, second order.
    """
    times, cost = np.empty_like(slow), np.empty_like(slow)
    way = np.float32(-1.0 if inwards else 1.0)
    given = region.own, read_only(start.values), read_only(slow)
    _begin(*given, way, np.float32(start.most), np.float32(_START), times, cost)
    usual = float(np.median(slow)) if slow.size else 1.0
    arrival(region.table, region.where, times, cost, until + 4.0, 2.0 * min(usual, 4.0), go_on=go_on)
    low, high = np.empty(len(region.where), np.float32), np.empty(len(region.where), np.float32)
    _ends(read_only(region.table), read_only(region.where), read_only(times), low, high)
    return Front(region, times, slow, cost, low, high, inwards)


def grown_by_step(
    volume: Bricks, slow_of: Callable[[Indices, Indices], Floats], way: float, go_on: Callable[[], None] = lambda: None
) -> Bricks:
    """One step of growth: distances, the times over this step with its speed, and distances again.

    Parameters
    ----------
    volume : Bricks
        Signed distances, right within one voxel of the surface at least.
    slow_of : callable
        Given table and where of bricks, the way at full speed that passes while each voxel is crossed, float32 (slots, 512).
    way : float
        The step at full speed, voxels.
    go_on : callable
        Called between rounds; it may raise.

    Returns
    -------
    Bricks
        Signed distances, on the bricks near the surface.
    """
    table, where, own = near_front(volume, way + 4.0)
    before = gathered(volume, where)
    slow = slow_of(table, where)
    moving = widened(marked_bricks(table.shape, where[slow.min(axis=1) < STILL]))
    active = np.flatnonzero(moving[tuple(where.T)])
    if not len(active):
        return volume
    numbers, places = numbered(moving & (table >= 0), np.full(table.shape, OUTSIDE, np.int32))
    slow, most = np.ascontiguousarray(slow[active]), np.float32(volume.most)
    times, cost = np.empty_like(slow), np.empty_like(slow)
    given = np.ascontiguousarray(own[active]), read_only(volume.values), read_only(slow)
    _begin(*given, np.float32(1.0), most, np.float32(1.0), times, cost)
    fastest = slow[slow < STILL]
    usual, slowest = float(np.median(fastest)), float(fastest.max())
    arrival(numbers, places, times, cost, way + 1.75 * slowest, 2.0 * usual, limit=way, cells=1.75, go_on=go_on)
    out = np.clip((times - np.float32(way)) / slow, -most, most)
    values = before.copy()
    still = slow >= STILL
    values[active] = np.where(still, before[active], out)
    grown = volume._replace(table=table, where=where, values=values)
    values[active] = _settled(distances_on(grown, active, go_on), before[active], still)
    return grown._replace(values=values)


def _settled(values: Floats, before: Floats, still: NDArray[np.bool_]) -> Floats:
    """Distances after a step. A front only goes on, so none grows: where one does, bricks that stand still would have told more.

    Within a quarter of a voxel it is what rounding makes of the same distance; to prefer the smaller each time would drift. Where
    the front stands still nothing changes but what it has come nearer to.
    """
    quarter = np.float32(0.25)
    nearer, farther = values < before - quarter, values > before + quarter
    return np.where(still, np.where(nearer, values, before), np.where(farther, before, values))
