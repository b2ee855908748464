"""What catches from its neighbours: an element goes off when enough around it has, and then rises."""

import numpy as np

from estompe.kernels import PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

_IN_BLOCK = 64
"""Elements of a block, which sleep, rise and rest together: few, since a front is thin and crosses many rows of a mesh."""
_AT_ONCE = 32
"""Blocks that one thread goes through at once: a call with so many arrays costs as much as a block that rests."""
# What a block of elements is like: nothing in it has caught, something is under way, all of it is done, it begins by itself.
_ASLEEP, _AWAKE, _DONE, _BEGUN = np.uint8(0), np.uint8(1), np.uint8(2), np.uint8(3)


@inlined
def _span(first, last, step, values, start, around, members, rate, limit, like, moved, near, beside):
    """One sub-step of some blocks. What is written over is a sub-step older: a block that rests is right in it already."""
    count, blocks = start.shape[0], near.shape[0] - 1
    now, then = (step & 1) * count, (1 - (step & 1)) * count
    here, there = (step & 1) * blocks, (1 - (step & 1)) * blocks
    for block in range(first, min(last, blocks)):
        state = like[here + block]
        wakes = state == _AWAKE or state == _BEGUN
        if state == _ASLEEP:
            for m in range(near[block], near[block + 1]):
                other = like[here + beside[m]]
                wakes = wakes or other == _AWAKE or other == _DONE
        low, high = block * _IN_BLOCK, min(count, (block + 1) * _IN_BLOCK)
        if wakes:
            some, least = False, np.float32(1.0)
            for p in range(low, high):
                value = values[now + p]
                caught = value > np.float32(0.0)
                if not caught:
                    total = np.float32(0.0)
                    for m in range(around[p], around[p + 1]):
                        total += values[np.uint64(now + members[m])]
                    caught = total > limit[p]
                if caught:
                    value = min(value + rate[p], np.float32(1.0))
                value = max(value, start[p])
                values[then + p] = value
                some = some or value > np.float32(0.0)
                least = min(least, value)
            state = _DONE if least >= np.float32(1.0) else (_AWAKE if some else _ASLEEP)
        elif moved[here + block]:
            for p in range(low, high):
                values[then + p] = values[now + p]
        like[there + block] = state
        moved[there + block] = wakes


@kernel
def _run_serial(values, start, around, members, rate, limit, like, moved, near, beside, steps):
    for step in range(steps):
        _span(0, near.shape[0], step, values, start, around, members, rate, limit, like, moved, near, beside)


@parallel_kernel
def _run_parallel(values, start, around, members, rate, limit, like, moved, near, beside, steps):
    for step in range(steps):
        for part in prange((near.shape[0] + _AT_ONCE - 2) // _AT_ONCE):
            first = part * _AT_ONCE
            _span(first, first + _AT_ONCE, step, values, start, around, members, rate, limit, like, moved, near, beside)


@kernel
def _first_likes(values, start, like):
    for block in range(like.shape[0] // 2):
        some, low, wanted = False, np.float32(1.0), False
        for p in range(block * _IN_BLOCK, min(values.shape[0], (block + 1) * _IN_BLOCK)):
            some = some or values[p] > np.float32(0.0)
            low = min(low, values[p])
            wanted = wanted or start[p] > values[p]
        rests = _BEGUN if wanted else _ASLEEP
        like[block] = _DONE if low >= np.float32(1.0) else (_AWAKE if some else rests)


def neighbour_blocks(around: Indices, members: Indices) -> tuple[Indices, Indices]:
    """The other blocks that each block has neighbours in.

    Parameters
    ----------
    around : int32 (n + 1,)
        Where the neighbours of each element start.
    members : int32 (m,)
        The neighbours.

    Returns
    -------
    starts : int32 (blocks + 1,)
    members : int32
    """
    count = len(around) - 1
    blocks = -(-count // _IN_BLOCK)
    own = np.repeat(np.arange(count, dtype=np.int64), np.diff(around)) // _IN_BLOCK
    pairs = own * blocks + members // _IN_BLOCK
    pairs = np.unique(pairs[own != members // _IN_BLOCK])
    starts = np.searchsorted(pairs, np.arange(blocks + 1, dtype=np.int64) * blocks)
    return starts.astype(np.int32), (pairs % max(blocks, 1)).astype(np.int32)


def spread(
    values: Floats,
    start: Floats,
    neighbours: tuple[Indices, Indices],
    blocks: tuple[Indices, Indices],
    rate: Floats,
    limit: Floats,
    steps: int,
) -> Floats:
    """Values after some sub-steps of catching and rising.

    Parameters
    ----------
    values : float32 (n,)
        How far each element is, 0..1; one over 0 has caught.
    start : float32 (n,)
        What each is at least.
    neighbours : int32 (n + 1,), int32
        Where the neighbours of each start, and these.
    blocks : int32, int32
        What `neighbour_blocks` makes of them: blocks in which nothing can change are passed over, for the same bits.
    rate : float32 (n,)
        By how much each rises in a sub-step once it has caught; one of 0 never does.
    limit : float32 (n,)
        An element catches when the sum of its neighbours is over this.
    steps : int
        Sub-steps.

    Returns
    -------
    float32 (n,)
        The values afterwards, 0..1.
    """
    count, around, members = len(values), read_only(neighbours[0]), read_only(neighbours[1])
    near, beside = read_only(blocks[0]), read_only(blocks[1])
    # Two of each, one after the other: how things are, and how they will be.
    both = np.empty(2 * count, np.float32)
    both[:count] = values
    like = np.empty(2 * (len(near) - 1), np.uint8)
    moved = np.ones(len(like), np.bool_)
    start = read_only(start)
    _first_likes(read_only(values), start, like)
    run = _run_serial if count < PARALLEL_FROM else _run_parallel
    run(both, start, around, members, read_only(rate), read_only(limit), like, moved, near, beside, steps)
    return both[count:].copy() if steps & 1 else both[:count].copy()
