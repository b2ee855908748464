"""What catches from its neighbours: an element goes off when enough around it has, and then rises."""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

# What a block of elements is like: nothing in it has caught, something is under way, all of it is done.
_ASLEEP, _AWAKE, _DONE = np.uint8(0), np.uint8(1), np.uint8(2)


@inlined
def _risen(values, start, starts, members, rate, limit, first, last, out):
    """One sub-step of a block. Returns what the block is like afterwards."""
    some = False
    low = np.float32(1.0)
    for p in range(first, last):
        value = values[p]
        caught = value > np.float32(0.0)
        if not caught:
            total = np.float32(0.0)
            for m in range(starts[p], starts[p + 1]):
                total += values[np.uint64(members[m])]
            caught = total > limit[p]
        if caught:
            value = min(value + rate[p], np.float32(1.0))
        value = max(value, start[p])
        out[p] = value
        some = some or value > np.float32(0.0)
        low = min(low, value)
    return _DONE if low >= np.float32(1.0) else (_AWAKE if some else _ASLEEP)


@inlined
def _block(block, values, start, around, members, rate, limit, like, near, beside, begun, out, like_out):
    first, last = block * BLOCK, min(out.shape[0], (block + 1) * BLOCK)
    wakes = like[block] == _AWAKE or (like[block] == _ASLEEP and begun[block])
    if like[block] == _ASLEEP and not wakes:
        for m in range(near[block], near[block + 1]):
            if like[beside[m]] != _ASLEEP:
                wakes = True
    if wakes:
        like_out[block] = _risen(values, start, around, members, rate, limit, first, last, out)
    else:
        for p in range(first, last):
            out[p] = values[p]
        like_out[block] = like[block]


@kernel
def _step_serial(values, start, around, members, rate, limit, like, near, beside, begun, out, like_out):
    for block in range(like.shape[0]):
        _block(block, values, start, around, members, rate, limit, like, near, beside, begun, out, like_out)


@parallel_kernel
def _step_parallel(values, start, around, members, rate, limit, like, near, beside, begun, out, like_out):
    for block in prange(like.shape[0]):
        _block(block, values, start, around, members, rate, limit, like, near, beside, begun, out, like_out)


@kernel
def _first_likes(values, start, like, begun):
    for block in range(like.shape[0]):
        some, low, wanted = False, np.float32(1.0), False
        for p in range(block * BLOCK, min(values.shape[0], (block + 1) * BLOCK)):
            some = some or values[p] > np.float32(0.0)
            low = min(low, values[p])
            wanted = wanted or start[p] > values[p]
        like[block] = _DONE if low >= np.float32(1.0) else (_AWAKE if some else _ASLEEP)
        begun[block] = wanted


def neighbour_blocks(around: Indices, members: Indices) -> tuple[Indices, Indices]:
    """The other blocks of `BLOCK` elements that each block has neighbours in.

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
    blocks = -(-count // BLOCK)
    own = np.repeat(np.arange(count, dtype=np.int64), np.diff(around)) // BLOCK
    pairs = own * blocks + members // BLOCK
    pairs = np.unique(pairs[own != members // BLOCK])
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
    count = -(-len(values) // BLOCK)
    like, begun = np.zeros(count, np.uint8), np.zeros(count, np.bool_)
    values, start = read_only(values), read_only(start)
    _first_likes(values, start, like, begun)
    run = _step_serial if len(values) < PARALLEL_FROM else _step_parallel
    around, members, near, beside = (read_only(array) for array in (*neighbours, *blocks))
    rate, limit = read_only(rate), read_only(limit)
    for _ in range(steps):
        out = np.empty(len(values), np.float32)
        after = np.empty(count, np.uint8)
        run(values, start, around, members, rate, limit, read_only(like), near, beside, read_only(begun), out, after)
        values, like = read_only(out), after
        begun = np.zeros(count, np.bool_)
    return values
