"""A picture's values at places between its pixels."""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only

_HALF, _ONE = np.float32(0.5), np.float32(1.0)


@inlined
def _pixel(place, count):
    """The pixel before a place, the one after it, and how far between them it is; a picture goes on at its other end."""
    at = (place - np.floor(place)) * np.float32(count) - _HALF
    whole = np.floor(at)
    first = min(max(np.int64(whole), -1), count - 1)
    following = first + 1
    return first if first >= 0 else count - 1, following if following < count else 0, at - whole


@inlined
def _mixed(pixels, row, column, weights):
    return (
        pixels[row, column, 0] * weights[0]
        + pixels[row, column, 1] * weights[1]
        + pixels[row, column, 2] * weights[2]
        + pixels[row, column, 3] * weights[3]
    )


@parallel_kernel
def _sampled(pixels, uv, repeat, weights, out):
    n = out.shape[0]
    height, width = pixels.shape[0], pixels.shape[1]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            left, right, across = _pixel(uv[i, 0] * repeat, width)
            top, bottom, down = _pixel(_ONE - uv[i, 1] * repeat, height)
            upper = _mixed(pixels, top, left, weights) * (_ONE - across) + _mixed(pixels, top, right, weights) * across
            lower = _mixed(pixels, bottom, left, weights) * (_ONE - across)
            lower += _mixed(pixels, bottom, right, weights) * across
            out[i] = upper * (_ONE - down) + lower * down


def sampled(pixels: Floats, uv: Floats, repeat: float, weights: Floats) -> Floats:
    """A weighted sum of a picture's channels, bilinear between pixels, float32 (n,).

    pixels: float32 (height, width, 4), the upper row first; uv: float32 (n, 2), v from the bottom up, 0..1 across the
    picture and beyond it again from its start; repeat: how often it lies across 0..1; weights: float32 (4,).
    """
    out = np.empty(len(uv), np.float32)
    _sampled(read_only(pixels), read_only(uv), np.float32(repeat), read_only(weights), out)
    return out
