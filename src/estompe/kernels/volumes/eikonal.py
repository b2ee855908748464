"""When a front that starts somewhere reaches each voxel, |grad T| = slowness, and where on the start it came from.

Second-order upwind differences, in rounds over bricks: a round works out the bricks whose news is oldest, each from what all
bricks were before the round, so that the result does not depend on threads. The order of bricks is that of Jeong and
Whitaker, "A fast iterative method for eikonal equations" (2008), doi:10.1137/060670298; within a brick voxels are swept as
in Zhao, "A fast sweeping method for eikonal equations" (2005), doi:10.1090/S0025-5718-04-01678-3.
"""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.bricks import FAR, cells_of, slots_around

_PAD = 2
_WIDE = 8 + 2 * _PAD
_TURNS = np.array([0, 1, 2, 4, 3, 5, 6, 7])
"""Ways to sweep after the first guess: turned along each axis, then along two, then along all."""
_MOST_PASSES = 40


@inlined
def _load(values, around, s, block):
    """The brick and two layers of its six neighbours; everything else is far."""
    for i in range(_WIDE * _WIDE * _WIDE):
        block[i] = FAR
    own = values[s]
    for z in range(8):
        for y in range(8):
            p, q = ((z + _PAD) * _WIDE + y + _PAD) * _WIDE + _PAD, (z * 8 + y) * 8
            for x in range(8):
                block[p + x] = own[q + x]
    for k in range(6):
        n = around[s, k]
        if n < 0:
            continue
        other = values[n]
        x0, x1, y0, y1, z0, z1 = 0, 8, 0, 8, 0, 8
        ox, oy, oz = _PAD, _PAD, _PAD
        if k == 0:
            x0, ox = 8 - _PAD, 0
        elif k == 1:
            x1, ox = _PAD, _PAD + 8
        elif k == 2:
            y0, oy = 8 - _PAD, 0
        elif k == 3:
            y1, oy = _PAD, _PAD + 8
        elif k == 4:
            z0, oz = 8 - _PAD, 0
        else:
            z1, oz = _PAD, _PAD + 8
        for z in range(z1 - z0):
            for y in range(y1 - y0):
                p, q = ((oz + z) * _WIDE + oy + y) * _WIDE + ox, ((z0 + z) * 8 + y0 + y) * 8 + x0
                for x in range(x1 - x0):
                    block[p + x] = other[q + x]


@inlined
def _step_of(axis):
    return 1 if axis == 0 else (_WIDE if axis == 1 else _WIDE * _WIDE)


@inlined
def _first_sweep(block):
    """The sweep that goes with the news: from the side of each axis whose neighbour is earlier."""
    way = 0
    for axis in range(3):
        d = _step_of(axis)
        u = _WIDE if axis == 0 else 1
        v = _WIDE * _WIDE if axis < 2 else _WIDE
        low, high = FAR, FAR
        base = _PAD * (1 + _WIDE + _WIDE * _WIDE) - d
        for i in range(8):
            for j in range(8):
                p = base + i * u + j * v
                low, high = min(low, block[p]), min(high, block[p + 9 * d])
        if high < low:
            way |= 1 << axis
    return way


@inlined
def _time(block, p, steps, slow):
    """The time at p from the nearer side of each axis, with two voxels back where times rise towards p."""
    late, early, third = FAR, FAR, FAR
    v0, v1, v2 = FAR, FAR, FAR
    w0, w1, w2 = np.float32(1.0), np.float32(1.0), np.float32(1.0)
    for axis in range(3):
        d = steps[axis]
        left, right = block[p - d], block[p + d]
        if left <= right:
            one, two = left, block[p - 2 * d]
        else:
            one, two = right, block[p + 2 * d]
        if one >= FAR:
            continue
        value, weight = one, np.float32(1.0)
        if two <= one:
            value, weight = (np.float32(4.0) * one - two) * np.float32(1.0 / 3.0), np.float32(2.25)
        if one < early:
            third, v2, w2, late, v1, w1 = late, v1, w1, early, v0, w0
            early, v0, w0 = one, value, weight
        elif one < late:
            third, v2, w2 = late, v1, w1
            late, v1, w1 = one, value, weight
        else:
            third, v2, w2 = one, value, weight
    base = early
    a0 = v0 - base
    t = a0 + slow / math.sqrt(w0)
    if late < FAR and t > late - base:
        a1 = v1 - base
        a, b, c = w0 + w1, w0 * a0 + w1 * a1, w0 * a0 * a0 + w1 * a1 * a1 - slow * slow
        q = b * b - a * c
        if q >= np.float32(0.0):
            u = (b + math.sqrt(q)) / a
            if u >= late - base:
                t = u
                if third < FAR and t > third - base:
                    a2 = v2 - base
                    a, b, c = a + w2, b + w2 * a2, c + w2 * a2 * a2
                    q = b * b - a * c
                    if q >= np.float32(0.0):
                        u = (b + math.sqrt(q)) / a
                        if u >= third - base:
                            t = u
    return base + t


@inlined
def _mark_open(block, fresh, dirty):
    """The voxels that can change: those next to an earlier one outside, or every one the first time."""
    for i in range(_WIDE * _WIDE * _WIDE):
        dirty[i] = np.uint8(1 if fresh else 0)
    if fresh:
        return
    for axis in range(3):
        d = _step_of(axis)
        u = _WIDE if axis == 0 else 1
        v = _WIDE * _WIDE if axis < 2 else _WIDE
        base = _PAD * (1 + _WIDE + _WIDE * _WIDE)
        for i in range(8):
            for j in range(8):
                p = base + i * u + j * v
                if block[p - d] < block[p]:
                    dirty[p] = np.uint8(1)
                    dirty[p + d] = np.uint8(1)
                p += 7 * d
                if block[p + d] < block[p]:
                    dirty[p] = np.uint8(1)
                    dirty[p - d] = np.uint8(1)


@inlined
def _mark_later(block, dirty, p, steps, t):
    """Voxels up to two away that are later than a new time."""
    for axis in range(3):
        d = steps[axis]
        if block[p - d] > t:
            dirty[p - d] = np.uint8(1)
        if block[p + d] > t:
            dirty[p + d] = np.uint8(1)
        if block[p - 2 * d] > t:
            dirty[p - 2 * d] = np.uint8(1)
        if block[p + 2 * d] > t:
            dirty[p + 2 * d] = np.uint8(1)


@inlined
def _sweep(block, dirty, cost, way, steps, tolerance, limit, cells):
    """One pass over the voxels of a brick; whether anything changed."""
    changed = False
    for iz in range(8):
        z = iz if way & 4 == 0 else 7 - iz
        for iy in range(8):
            y = iy if way & 2 == 0 else 7 - iy
            p0, q0 = ((z + _PAD) * _WIDE + y + _PAD) * _WIDE + _PAD, (z * 8 + y) * 8
            for ix in range(8):
                x = ix if way & 1 == 0 else 7 - ix
                p = p0 + x
                if dirty[p] == 0:
                    continue
                dirty[p] = np.uint8(0)
                slow = cost[q0 + x]
                old = block[p]
                a = min(block[p - 1], block[p + 1])
                b = min(block[p - _WIDE], block[p + _WIDE])
                c = min(block[p - _WIDE * _WIDE], block[p + _WIDE * _WIDE])
                if slow > np.float32(0.0) and min(a, min(b, c)) < old:
                    t = _time(block, p, steps, slow)
                    if t < old - tolerance * slow and t <= limit + cells * slow:
                        block[p] = t
                        changed = True
                        _mark_later(block, dirty, p, steps, t)
    return changed


@inlined
def _tell(news, c, x, y, z, t):
    """The earliest new time that each of the six neighbours can see."""
    if x < _PAD:
        news[c, 0] = min(news[c, 0], t)
    if x > 7 - _PAD:
        news[c, 1] = min(news[c, 1], t)
    if y < _PAD:
        news[c, 2] = min(news[c, 2], t)
    if y > 7 - _PAD:
        news[c, 3] = min(news[c, 3], t)
    if z < _PAD:
        news[c, 4] = min(news[c, 4], t)
    if z > 7 - _PAD:
        news[c, 5] = min(news[c, 5], t)


@parallel_kernel
def _round(chosen, around, times, slow, out, news, again, fresh, tolerance, passes, limit, cells, turns):
    for c in prange(chosen.shape[0]):
        s = chosen[c]
        steps = np.array([1, _WIDE, _WIDE * _WIDE])
        block = np.empty(_WIDE * _WIDE * _WIDE, np.float32)
        dirty = np.empty(_WIDE * _WIDE * _WIDE, np.uint8)
        _load(times, around, s, block)
        _mark_open(block, fresh[s], dirty)
        guess = _first_sweep(block)
        more, turn = True, 0
        while more and turn < passes:
            more = _sweep(block, dirty, slow[s], guess ^ turns[turn & 7], steps, tolerance, limit, cells)
            turn += 1
        again[c] = more
        for k in range(6):
            news[c, k] = FAR
        for z in range(8):
            for y in range(8):
                for x in range(8):
                    q = (z * 8 + y) * 8 + x
                    t = block[((z + _PAD) * _WIDE + y + _PAD) * _WIDE + _PAD + x]
                    out[s, q] = t
                    if t < times[s, q]:
                        _tell(news, c, x, y, z, t)


@parallel_kernel
def _take(chosen, times, out):
    for c in prange(chosen.shape[0]):
        s = chosen[c]
        for i in range(512):
            times[s, i] = out[s, i]


@kernel
def _pass_on(chosen, around, news, again, key):
    for c in range(chosen.shape[0]):
        key[chosen[c]] = FAR
    for c in range(chosen.shape[0]):
        for k in range(6):
            n = around[chosen[c], k]
            if n >= 0 and news[c, k] < key[n]:
                key[n] = news[c, k]
        if again[c]:
            key[chosen[c]] = -FAR


def arrival(
    table: Indices,
    where: Indices,
    times: Floats,
    slow: Floats,
    until: float,
    window: float,
    limit: float = 9e29,
    cells: float = 0.0,
    go_on: Callable[[], None] = lambda: None,
) -> int:
    """Fill in the times at which a front arrives.

    Parameters
    ----------
    table, where : Indices
        The bricks, as `Bricks` holds them.
    times : float32 (slots, 512)
        Known times at the start and FAR elsewhere; written over.
    slow : float32 (slots, 512)
        The time it takes to cross a voxel; 0 where the time is given.
    until : float
        Bricks that nothing reaches before are left as they are.
    window : float
        How much later than the earliest news a brick's may be to be worked out in the same round.
    limit, cells : float
        Times later than the limit, and so many voxels more, are not written.
    go_on : callable
        Called between rounds; it may raise to stop the work.

    Returns
    -------
    int
        How often a brick was worked out.
    """
    around = slots_around(table, where)
    out = times.copy()
    begun: NDArray[np.bool_] = np.asarray((times < FAR).any(axis=1))
    key = np.where(begun, times.min(axis=1), FAR).astype(np.float32) if len(times) else np.zeros(0, np.float32)
    beside = around[begun]
    beside = beside[beside >= 0]
    key[beside] = np.minimum(key[beside], 0.0)
    fresh = begun.copy()
    worked = 0
    while len(key):
        low = key.min()
        if low > until:
            break
        go_on()
        chosen = np.flatnonzero(key <= low + np.float32(window))
        news, again = np.empty((len(chosen), 6), np.float32), np.empty(len(chosen), np.bool_)
        _round(
            chosen, around, times, read_only(slow), out, news, again, fresh,
            np.float32(1e-3), _MOST_PASSES, np.float32(limit), np.float32(cells), _TURNS,
        )  # fmt: skip
        fresh[chosen] &= again
        _take(chosen, times, out)
        _pass_on(chosen, around, news, again, key)
        worked += len(chosen)
    return worked


@inlined
def _beside(around, s, at, axis, way):
    """The voxel next to one along an axis: slot and place within it; slot -1 where there is none."""
    shift = 3 * axis
    along = at >> shift & 7
    if 0 <= along + way < 8:
        return s, at + (way << shift)
    n = around[s, 2 * axis + (1 if way > 0 else 0)]
    return n, (at & ~(7 << shift)) | ((0 if way > 0 else 7) << shift)


@kernel
def _footed(order, around, times, slow, feet, apart):
    """Voxels in the order of their times: each foot is mixed from those of the voxels it was reached from."""
    for i in range(order.shape[0]):
        s, at = order[i] >> 9, order[i] & 511
        if slow[s, at] == np.float32(0.0):
            continue
        t = times[s, at]
        earliest = t
        slots = (np.int64(-1), np.int64(-1), np.int64(-1))
        s0, s1, s2 = slots
        a0, a1, a2 = 0, 0, 0
        w0, w1, w2 = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        bx, by, bz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for axis in range(3):
            best, bs, ba = t, np.int64(-1), 0
            for way in (-1, 1):
                n, m = _beside(around, s, at, axis, way)
                if n >= 0 and times[n, m] < best:
                    best, bs, ba = times[n, m], np.int64(n), m
            if bs < 0:
                continue
            if best < earliest:
                earliest = best
                bx, by, bz = feet[bs, 0, ba], feet[bs, 1, ba], feet[bs, 2, ba]
            if axis == 0:
                s0, a0, w0 = bs, ba, t - best
            elif axis == 1:
                s1, a1, w1 = bs, ba, t - best
            else:
                s2, a2, w2 = bs, ba, t - best
        total = np.float32(0.0)
        x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for axis in range(3):
            n, m, w = (s0, a0, w0) if axis == 0 else ((s1, a1, w1) if axis == 1 else (s2, a2, w2))
            if n < 0:
                continue
            fx, fy, fz = feet[n, 0, m], feet[n, 1, m], feet[n, 2, m]
            # Where fronts meet, feet that lie apart are not mixed: the earliest counts.
            if (fx - bx) * (fx - bx) + (fy - by) * (fy - by) + (fz - bz) * (fz - bz) > apart:
                continue
            x, y, z, total = x + w * fx, y + w * fy, z + w * fz, total + w
        if total > np.float32(0.0):
            over = np.float32(1.0) / total
            feet[s, 0, at], feet[s, 1, at], feet[s, 2, at] = x * over, y * over, z * over
        else:
            feet[s, 0, at], feet[s, 1, at], feet[s, 2, at] = bx, by, bz


def feet_of(
    table: Indices, where: Indices, times: Floats, slow: Floats, until: float, apart: float = 3.0
) -> NDArray[np.float32]:
    """Where at the start the front came from that reached each voxel: mixed along the way it came, first order.

    times, slow: as `arrival` left them; until: voxels reached later get none; apart: feet farther apart than so many voxels are
    never mixed. Returns float32 (slots, 3, 512), x y z in voxels from the lattice's first; of voxels at the start, their own
    place.
    """
    feet = np.ascontiguousarray(cells_of(where).transpose(0, 2, 1), np.float32)
    flat = times.reshape(-1)
    reached = np.flatnonzero((flat <= until) & (slow.reshape(-1) > 0.0))
    # Equal times keep the order of voxels, so that the result is the same everywhere.
    order = reached[np.argsort(flat[reached], kind="stable")]
    around = slots_around(table, where)
    _footed(order, around, read_only(times), read_only(slow), feet, np.float32(apart * apart))
    return feet
