"""Numbers for things that have a name of several whole numbers: a hash table with open addresses, for use inside other loops."""

import numpy as np

from estompe.kernels.compile import inner, kernel

_U64 = np.uint64


@inner
def _mixed_in(bits, value):
    bits ^= _U64(value) + _U64(0x9E3779B97F4A7C15) + (bits << _U64(6)) + (bits >> _U64(2))
    bits *= _U64(0xBF58476D1CE4E5B9)
    return bits ^ (bits >> _U64(29))


@inner
def key_of(kind, a, b, c, d):
    """A key of 64 bits for a kind of thing and four whole numbers, uint64, odd and so never zero."""
    bits = _U64(kind) * _U64(0x9E3779B97F4A7C15) + _U64(12345)
    return _mixed_in(_mixed_in(_mixed_in(_mixed_in(bits, a), b), c), d) | _U64(1)


@kernel
def place_of(table, key):
    """Where a key stands in the table, or the free place where it would."""
    mask = _U64(table.shape[0] - 1)
    i = (key >> _U64(7)) & mask
    while table[i] != _U64(0) and table[i] != key:
        i = (i + _U64(1)) & mask
    return i


@kernel
def numbered(table, numbers, key, count):
    """The number of a key; count, a new one, if it was not there."""
    i = place_of(table, key)
    if table[i] == _U64(0):
        table[i] = key
        numbers[i] = count
    return numbers[i]


@kernel
def found(table, numbers, key):
    """The number of a key, -1 if it is not there."""
    i = place_of(table, key)
    return numbers[i] if table[i] == key else np.int32(-1)


@inner
def room_for(count):
    """The size of a table for so many keys, a power of two."""
    size = 16
    while size < 2 * count:
        size *= 2
    return size


@kernel
def grouped(which, groups):
    """Members by group, left out where the group is negative: starts, int32 (groups + 1,), and members, int32."""
    start = np.zeros(groups + 1, np.int32)
    for w in which:
        if w >= 0:
            start[w + 1] += 1
    for i in range(groups):
        start[i + 1] += start[i]
    at = start[:-1].copy()
    members = np.empty(start[groups], np.int32)
    for i in range(which.shape[0]):
        w = which[i]
        if w >= 0:
            members[at[w]] = i
            at[w] += 1
    return start, members
