"""Elementary functions as polynomials: only such loops vectorise."""

import numpy as np

from estompe.kernels.compile import inlined

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)
_PER_QUARTER = np.float32(0.6366197723675814)
# Pi over two in two parts, so that large angles lose nothing.
_QUARTER, _QUARTER_REST = np.float32(1.5707963109016418), np.float32(1.5893254712295857e-08)


@inlined
def sine_cosine(angle):
    """Sine and cosine by polynomials that vectorise; off by less than 2e-7 up to some thousand radians."""
    turns = np.floor(angle * _PER_QUARTER + np.float32(0.5))
    quarter = np.int32(turns)
    r = (angle - turns * _QUARTER) - turns * _QUARTER_REST
    q = r * r
    s = r + r * q * (np.float32(-0.16666654611) + q * (np.float32(8.3321608736e-3) + q * np.float32(-1.9515295891e-4)))
    higher = np.float32(4.166664568298827e-2) + q * (
        np.float32(-1.388731625493765e-3) + q * np.float32(2.443315711809948e-5)
    )
    c = _ONE - np.float32(0.5) * q + q * q * higher
    odd = (quarter & 1) == 1
    sine = c if odd else s
    cosine = s if odd else c
    sine = -sine if (quarter & 2) == 2 else sine
    cosine = -cosine if ((quarter + 1) & 2) == 2 else cosine
    return sine, cosine


@inlined
def _power_of_two(a):
    """2 to the power of a between minus and plus one half (polynomial of Moshier's Cephes library), off by less than 2e-7."""
    higher = np.float32(9.618437357674640e-3) + a * (
        np.float32(1.339887440266574e-3) + a * np.float32(1.535336188319500e-4)
    )
    higher = np.float32(2.402264791363012e-1) + a * (np.float32(5.550332471162809e-2) + a * higher)
    return _ONE + a * (np.float32(6.931472028550421e-1) + a * higher)


@inlined
def powers(values, exponent, count):
    """Each value, which must be positive, to a power; by the bits of its logarithm, so that the loop vectorises."""
    bits = values.view(np.int32)
    for i in range(count):
        whole = np.int32((bits[i] >> np.int32(23)) - np.int32(127))
        bits[i] = np.int32((bits[i] & np.int32(0x7FFFFF)) | np.int32(0x3F800000))
        # The logarithm of a mantissa 1..2 through the quickly converging series of (m - 1) / (m + 1).
        m = values[i]
        r = (m - _ONE) / (m + _ONE)
        q = r * r
        series = np.float32(1 / 7) + q * (np.float32(1 / 9) + q * np.float32(1 / 11))
        series = _ONE + q * (np.float32(1 / 3) + q * (np.float32(1 / 5) + q * series))
        log = np.float32(whole) + np.float32(2.885390081777927) * r * series
        power = min(max(log * exponent, np.float32(-120.0)), np.float32(120.0))
        nearest = np.floor(power + np.float32(0.5))
        values[i] = _power_of_two(power - nearest)
        bits[i] = np.int32(bits[i] + np.int32(np.int32(nearest) << np.int32(23)))
