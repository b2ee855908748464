"""Values mixed from others by fixed weights, as when a mesh gets new points between its old ones."""

from typing import NamedTuple

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only


class Mix(NamedTuple):
    """What each new value is mixed from: starts, int32 (new + 1,), members, int32 (m,), old ones, and weights, float32 (m,)."""

    starts: Indices
    members: Indices
    weights: Floats


@parallel_kernel
def _mixed_triples(values, starts, members, weights, out):
    n = starts.shape[0] - 1
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for m in range(starts[i], starts[i + 1]):
                # Unsigned, so that no index is asked whether it counts from the end.
                fraction, place = weights[m], np.uint64(3) * np.uint64(members[m])
                x += fraction * values[place]
                y += fraction * values[place + np.uint64(1)]
                z += fraction * values[place + np.uint64(2)]
            out[3 * i], out[3 * i + 1], out[3 * i + 2] = x, y, z


@parallel_kernel
def _mixed_columns(values, columns, starts, members, weights, out):
    n = starts.shape[0] - 1
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            for column in range(columns):
                total = np.float32(0.0)
                for m in range(starts[i], starts[i + 1]):
                    place = np.uint64(columns) * np.uint64(members[m]) + np.uint64(column)
                    total += weights[m] * values[place]
                out[columns * i + column] = total


def mixed(values: Floats, mix: Mix) -> Floats:
    """The new values, float32 (new, k). values: float32 (old, k)."""
    out = np.empty((len(mix.starts) - 1, values.shape[1]), np.float32)
    parts = [read_only(array) for array in mix]
    if values.shape[1] == 3:
        _mixed_triples(read_only(values).reshape(-1), *parts, out.reshape(-1))
    else:
        _mixed_columns(read_only(values).reshape(-1), values.shape[1], *parts, out.reshape(-1))
    return out
