"""The nearest point on a polyline: how far, and how far along it."""

import numpy as np
from numba import prange

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel
from estompe.kernels.types import Floats, read_only


@inlined
def _block(flat, starts, steps, inverse, shares, out, share):
    count = out.shape[0]
    # Arrays of the block's own: the compiler knows that they do not overlap, and vectorises.
    distance = np.empty(BLOCK, np.float32)
    along = np.empty(BLOCK, np.float32)
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    for i in range(count):
        x[i] = flat[3 * i]
        y[i] = flat[3 * i + 1]
        z[i] = flat[3 * i + 2]
        distance[i] = np.float32(3e38)
        along[i] = np.float32(0.0)
    # One segment against a block of points at a time: selects vectorise.
    for s in range(starts.shape[0]):
        ax, ay, az = starts[s, 0], starts[s, 1], starts[s, 2]
        bx, by, bz = steps[s, 0], steps[s, 1], steps[s, 2]
        over, first, width = inverse[s], shares[s], shares[s + 1] - shares[s]
        for i in range(count):
            dx, dy, dz = x[i] - ax, y[i] - ay, z[i] - az
            t = min(max((dx * bx + dy * by + dz * bz) * over, np.float32(0.0)), np.float32(1.0))
            dx, dy, dz = dx - t * bx, dy - t * by, dz - t * bz
            d = dx * dx + dy * dy + dz * dz
            near = d < distance[i]
            along[i] = first + t * width if near else along[i]
            distance[i] = d if near else distance[i]
    for i in range(count):
        out[i] = np.sqrt(distance[i])
        share[i] = along[i]


@kernel
def _nearest_serial(flat, starts, steps, inverse, shares, distance, along):
    n = distance.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(flat[3 * b : 3 * e], starts, steps, inverse, shares, distance[b:e], along[b:e])


@parallel_kernel
def _nearest_parallel(flat, starts, steps, inverse, shares, distance, along):
    n = distance.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(flat[3 * b : 3 * e], starts, steps, inverse, shares, distance[b:e], along[b:e])


def nearest_on_polyline(points: Floats, line: Floats) -> tuple[Floats, Floats]:
    """Distance to a polyline, float32 (n,), and the share of its length at the nearest point, float32 (n,), 0..1.

    points: float32 (n, 3); line: float32 (k, 3), k at least 2. Of several nearest points the first along the line counts.
    Every point is held against every segment: O(n k).
    """
    steps = np.diff(line, axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    inverse = (1.0 / np.maximum(lengths, 1e-12) ** 2).astype(np.float32)
    ends = np.concatenate([[0.0], np.cumsum(lengths, dtype=np.float64)])
    shares = (ends / max(float(ends[-1]), 1e-20)).astype(np.float32)
    distance, along = np.empty(len(points), np.float32), np.empty(len(points), np.float32)
    run = _nearest_serial if len(points) * len(steps) < PARALLEL_FROM * 8 else _nearest_parallel
    starts = np.ascontiguousarray(line[:-1])
    run(read_only(points).reshape(-1), starts, np.ascontiguousarray(steps), inverse, shares, distance, along)
    return distance, np.minimum(along, np.float32(1.0))
