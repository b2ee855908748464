"""A ramp's points as the cubics that the kernels take."""

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from estompe.document.scene import Ramp, Range
from estompe.geometry import frozen
from estompe.kernels.ramp import remap
from estompe.kernels.types import Floats
from estompe.kinds.curve import cubics
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.units import UNITS


@lru_cache(maxsize=4096)
def pieces(ramp: Ramp) -> tuple[Floats, Floats]:
    """Knots, float32 (k,), and cubics, float32 (k, 4), of a resolved ramp; flat before the first and after the last point.

    Points are taken in the order of their positions; of points at one position the later one holds from there on.
    """
    points = sorted(ramp, key=lambda point: plain(point.position))
    at = [plain(point.position) for point in points]
    values = [plain(point.value) for point in points]
    table = cubics(at, values, [point.interpolation for point in points])
    if at[0] > 0.0:
        at, table = [0.0, *at], [(values[0], 0.0, 0.0, 0.0), *table]
    return frozen(np.array(at, np.float32)), frozen(np.array(table, np.float32))


class Remapping(NamedTuple):
    """A resolved range and ramp as the kernels take them, after the values."""

    full: float
    gone: float
    knots: Floats
    cubics: Floats
    clamp: bool


@lru_cache(maxsize=4096)
def remapping(within: Range, ramp: Ramp, signed: bool) -> Remapping:
    """A resolved range and ramp, which keep values in 0..1 unless signed."""
    return Remapping(plain(within.full), plain(within.gone), *pieces(ramp), not signed)


def remapped(values: Floats, within: Range, ramp: Ramp, signed: bool) -> Floats:
    """Values through a resolved range and ramp, float32 (n,); kept in 0..1 unless signed."""
    return remap(values, *remapping(within, ramp, signed))


def drawn(values: Floats, within: Range, ramp: Ramp, signed: bool) -> Floats:
    """The same as `remapped` for a handful of values, without a kernel that might still have to be compiled."""
    knots, table = pieces(ramp)
    at = np.clip(positions(values, within), 0.0, 1.0)
    piece = np.maximum(np.searchsorted(knots, at, side="right") - 1, 0)
    u = at - knots[piece]
    a, b, c, d = table[piece].T
    out: Floats = ((d * u + c) * u + b) * u + a
    return out if signed else np.clip(out, 0.0, 1.0)


def positions(values: Floats, within: Range) -> Floats:
    """Where values lie in a resolved range, 0 at full and 1 at gone, not clamped, float32 (n,)."""
    full, gone = plain(within.full), plain(within.gone)
    width = gone - full
    if abs(width) < 1e-37:
        return (values > np.float32(full)).astype(np.float32)
    return (values - np.float32(full)) * np.float32(1.0 / width)


def swept(values: Floats, within: Range, passed: Number | None) -> Range:
    """The range where it has swept over a share of all values, its width kept; as it is without a share.

    Parameters
    ----------
    values : float32 (n,)
        All that is measured.
    within : Range
        A resolved range; what is nearer to its full end is swept over first.
    passed : number, optional
        The resolved share, 0..1: at 0 no value has a strength, at 1 every value is full.

    Returns
    -------
    Range
        With plain numbers.
    """
    if passed is None or not len(values):
        return within
    width = plain(within.gone) - plain(within.full)
    low, high = float(values.min()), float(values.max())
    # Rounding must not leave a value on either end: the range stands clear of both by a millionth of all that it sweeps.
    clear = 1e-6 * max(high - low + abs(width), abs(low), abs(high), 1e-30)
    if width < 0.0:
        begin, end = high - width + clear, low - clear
    else:
        begin, end = low - width - clear, high + clear
    full = begin + min(max(plain(passed), 0.0), 1.0) * (end - begin)
    return Range(full, full + width)


def first_range(source: Source) -> Range:
    """A first range for a layer of its own: as its kind says, else as its unit does."""
    return Range(*(source.first_range or UNITS[source.unit()].first_range))
