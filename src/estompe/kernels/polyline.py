"""The nearest point on a polyline: how far, and how far along it."""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only


@inlined
def _to_segment(x, y, z, a, b, w):
    """The squared distance to a segment from a along b, and the fraction of it at the nearest place; w: b over its square."""
    dx, dy, dz = x - a[0], y - a[1], z - a[2]
    t = min(max(dx * w[0] + dy * w[1] + dz * w[2], np.float32(0.0)), np.float32(1.0))
    dx, dy, dz = dx - t * b[0], dy - t * b[1], dz - t * b[2]
    return dx * dx + dy * dy + dz * dz, t


@inlined
def _block(flat, starts, steps, slopes, fractions, out, fraction):
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
    # Two segments against a block of points at a time: selects vectorise, and the best so far is fetched half as often.
    last = starts.shape[0] - 1
    for s in range(0, starts.shape[0], 2):
        r = min(s + 1, last)
        a = (starts[s, 0], starts[s, 1], starts[s, 2])
        b = (steps[s, 0], steps[s, 1], steps[s, 2])
        c = (starts[r, 0], starts[r, 1], starts[r, 2])
        e = (steps[r, 0], steps[r, 1], steps[r, 2])
        w = (slopes[s, 0], slopes[s, 1], slopes[s, 2])
        v = (slopes[r, 0], slopes[r, 1], slopes[r, 2])
        first, width = fractions[s], fractions[s + 1] - fractions[s]
        second, next_width = fractions[r], fractions[r + 1] - fractions[r]
        for i in range(count):
            px, py, pz = x[i], y[i], z[i]
            d, t = _to_segment(px, py, pz, a, b, w)
            f, u = _to_segment(px, py, pz, c, e, v)
            place = first + t * width
            other = second + u * next_width
            place = other if f < d else place
            d = min(d, f)
            best = distance[i]
            along[i] = place if d < best else along[i]
            distance[i] = min(d, best)
    for i in range(count):
        out[i] = np.sqrt(distance[i])
        fraction[i] = along[i]


@kernel
def _nearest_serial(flat, starts, steps, slopes, fractions, distance, along):
    n = distance.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(flat[3 * b : 3 * e], starts, steps, slopes, fractions, distance[b:e], along[b:e])


@parallel_kernel
def _nearest_parallel(flat, starts, steps, slopes, fractions, distance, along):
    n = distance.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(flat[3 * b : 3 * e], starts, steps, slopes, fractions, distance[b:e], along[b:e])


def nearest_on_polyline(points: Floats, line: Floats) -> tuple[Floats, Floats]:
    """Distance to a polyline, float32 (n,), and the fraction of its length at the nearest point, float32 (n,), 0..1.

    points: float32 (n, 3); line: float32 (k, 3), k at least 2. Of several nearest points the first along the line counts.
    Every point is held against every segment: O(n k).
    """
    steps = np.diff(line, axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    slopes = (steps / np.maximum(lengths, 1e-12)[:, None] ** 2).astype(np.float32)
    ends = np.concatenate([[0.0], np.cumsum(lengths, dtype=np.float64)])
    fractions = (ends / max(float(ends[-1]), 1e-20)).astype(np.float32)
    distance, along = np.empty(len(points), np.float32), np.empty(len(points), np.float32)
    run = _nearest_serial if len(points) * len(steps) < PARALLEL_FROM * 8 else _nearest_parallel
    starts = np.ascontiguousarray(line[:-1])
    run(read_only(points).reshape(-1), starts, np.ascontiguousarray(steps), slopes, fractions, distance, along)
    return distance, np.minimum(along, np.float32(1.0))
