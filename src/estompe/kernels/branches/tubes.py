"""Tubes around lines: rings of points, carried along without twist."""

import math

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inner, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only


@inner
def _tangent(positions, first, last, m, before, out):
    """The unit direction of a line at a vertex; that of the vertex before where it has no length there."""
    i, j = max(m - 1, first), min(m + 1, last - 1)
    x, y, z = positions[j, 0] - positions[i, 0], positions[j, 1] - positions[i, 1], positions[j, 2] - positions[i, 2]
    length = math.sqrt(x * x + y * y + z * z)
    if length > 1e-12:
        out[0], out[1], out[2] = x / length, y / length, z / length
    else:
        out[0], out[1], out[2] = before[0], before[1], before[2]


@inner
def _perpendicular(tangent, side):
    """The part of a direction across a tangent as a unit one, or any other across it where nothing is left."""
    for turn in range(2):
        height = side[0] * tangent[0] + side[1] * tangent[1] + side[2] * tangent[2]
        x, y, z = side[0] - height * tangent[0], side[1] - height * tangent[1], side[2] - height * tangent[2]
        length = math.sqrt(x * x + y * y + z * z)
        if length > 1e-4 or turn:
            side[0], side[1], side[2] = x / length, y / length, z / length
            return
        upright = abs(tangent[0]) < 0.7
        side[0], side[1], side[2] = (1.0, 0.0, 0.0) if upright else (0.0, 1.0, 0.0)


@inner
def _ringed(positions, width, first, last, sides, turns, out):
    tangent, before, side = np.array([0.0, 1.0, 0.0]), np.array([0.0, 1.0, 0.0]), np.array([1.0, 0.0, 0.0])
    count = positions.shape[0]
    for m in range(first, last):
        _tangent(positions, first, last, m, before, tangent)
        _perpendicular(tangent, side)
        for axis in range(3):
            before[axis] = tangent[axis]
            out[m, axis] = positions[m, axis]
        vx = tangent[1] * side[2] - tangent[2] * side[1]
        vy = tangent[2] * side[0] - tangent[0] * side[2]
        vz = tangent[0] * side[1] - tangent[1] * side[0]
        radius = 0.5 * width[m]
        for s in range(sides):
            c, d = radius * turns[s, 0], radius * turns[s, 1]
            k = count + m * sides + s
            out[k, 0] = np.float32(positions[m, 0] + c * side[0] + d * vx)
            out[k, 1] = np.float32(positions[m, 1] + c * side[1] + d * vy)
            out[k, 2] = np.float32(positions[m, 2] + c * side[2] + d * vz)


@parallel_kernel
def _tubes(positions, width, offsets, sides, turns, out):
    for line in prange(offsets.shape[0] - 1):
        _ringed(positions, width, offsets[line], offsets[line + 1], sides, turns, out)


def tubes(positions: Floats, width: Floats, offsets: Indices, sides: int) -> Floats:
    """The points of tubes around lines.

    Parameters
    ----------
    positions : float32 (k, 3)
        The vertices, line after line, scene units.
    width : float32 (k,)
        The width there, scene units.
    offsets : int32 (lines + 1,)
        Where each line begins.
    sides : int
        Points in a ring.

    Returns
    -------
    float32 (k * (1 + sides), 3)
        The vertices, and after them ring after ring.
    """
    angles = np.linspace(0.0, 2.0 * np.pi, sides, endpoint=False)
    turns = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    out = np.empty((len(positions) * (1 + sides), 3), np.float32)
    _tubes(read_only(positions), read_only(width), read_only(offsets), sides, turns, out)
    return out


@parallel_kernel
def _spread(values, sides, out):
    n = values.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            out[i] = values[i]
            for s in range(sides):
                out[n + i * sides + s] = values[i]


def spread(values: Floats, sides: int) -> Floats:
    """Values of the vertices on all points of tubes, float32 (k * (1 + sides),). values: float32 (k,)."""
    out = np.empty(len(values) * (1 + sides), np.float32)
    _spread(read_only(values), sides, out)
    return out
