"""Moving points by strength: along a direction of their own, or all along one vector."""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only


@inlined
def _along_block(points, directions, strength, amount, out):
    for i in range(strength.shape[0]):
        s = strength[i] * amount
        out[3 * i] = points[3 * i] + directions[3 * i] * s
        out[3 * i + 1] = points[3 * i + 1] + directions[3 * i + 1] * s
        out[3 * i + 2] = points[3 * i + 2] + directions[3 * i + 2] * s


@kernel
def _along_serial(points, directions, strength, amount, out):
    _along_block(points, directions, strength, amount, out)


@parallel_kernel
def _along_parallel(points, directions, strength, amount, out):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _along_block(points[3 * b : 3 * e], directions[3 * b : 3 * e], strength[b:e], amount, out[3 * b : 3 * e])


def _flat(points: Floats) -> Floats:
    return read_only(points).reshape(-1)


def displace_along(points: Floats, directions: Floats, strength: Floats, amount: float) -> Floats:
    """Each point moved along its own direction by strength times amount.

    points, directions: float32 (n, 3); strength: float32 (n,); amount: scene units. Returns float32 (n, 3).
    """
    out = np.empty_like(points)
    run = _along_serial if len(points) < PARALLEL_FROM else _along_parallel
    run(_flat(points), _flat(directions), read_only(strength), np.float32(amount), out.reshape(-1))
    return out


@inlined
def _by_block(points, strength, x, y, z, out):
    for i in range(strength.shape[0]):
        s = strength[i]
        out[3 * i] = points[3 * i] + x * s
        out[3 * i + 1] = points[3 * i + 1] + y * s
        out[3 * i + 2] = points[3 * i + 2] + z * s


@kernel
def _by_serial(points, strength, x, y, z, out):
    _by_block(points, strength, x, y, z, out)


@parallel_kernel
def _by_parallel(points, strength, x, y, z, out):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _by_block(points[3 * b : 3 * e], strength[b:e], x, y, z, out[3 * b : 3 * e])


def displace_by(points: Floats, strength: Floats, vector: Floats) -> Floats:
    """Each point moved by one vector times its strength.

    points: float32 (n, 3); strength: float32 (n,); vector: float32 (3,), scene units. Returns float32 (n, 3).
    """
    out = np.empty_like(points)
    run = _by_serial if len(points) < PARALLEL_FROM else _by_parallel
    run(_flat(points), read_only(strength), vector[0], vector[1], vector[2], out.reshape(-1))
    return out
