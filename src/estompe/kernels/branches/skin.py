"""Distances to tapered segments in bricks of voxels: hard within one line, so that it keeps its width, and soft between lines."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inner, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, Matrix
from estompe.kernels.volumes.bricks import CELLS, EDGE, OUTSIDE, Bricks, Lattice, numbered

_FAR, _EMPTY = np.float32(1e29), np.float32(1e30)


class Segments(NamedTuple):
    """ends: float64 (n, 2, 3), scene units, in the lattice's space; radii: float64 (n, 2); line: int32 (n,), ascending."""

    ends: Matrix
    radii: Matrix
    line: Indices


@inner
def _reached_bricks(segments, s, origin, edge, room, shape, low, high):
    """The lowest and highest brick along x, y and z that a segment may touch."""
    reach = max(segments.radii[s, 0], segments.radii[s, 1]) * 1.5 + room
    for axis in range(3):
        a, b = segments.ends[s, 0, axis], segments.ends[s, 1, axis]
        low[axis] = max(0, math.floor((min(a, b) - reach - origin[axis]) / edge))
        high[axis] = min(shape[2 - axis] - 1, math.floor((max(a, b) + reach - origin[axis]) / edge))


@kernel
def _touched(segments, origin, edge, room, shape, brick, segment):
    """Pairs of bricks and segments; their count alone where there is no room for them."""
    low, high = np.empty(3, np.int64), np.empty(3, np.int64)
    k, write = 0, brick.shape[0] > 0
    for s in range(segments.line.shape[0]):
        _reached_bricks(segments, s, origin, edge, room, shape, low, high)
        for z in range(low[2], high[2] + 1):
            for y in range(low[1], high[1] + 1):
                for x in range(low[0], high[0] + 1):
                    if write:
                        brick[k] = (z * shape[1] + y) * shape[2] + x
                        segment[k] = s
                    k += 1
    return k


@inner
def _near_segment(x, y, z, begin, way, squared, first, slope, own, width):
    """Take a tapered segment where it is nearer than those of its line before. Every place is computed, which vectorises."""
    ax, ay, az = begin
    ux, uy, uz = way
    over = np.float32(1.0) / squared
    for v in range(CELLS):
        dx, dy, dz = x[v] - ax, y[v] - ay, z[v] - az
        t = min(max((dx * ux + dy * uy + dz * uz) * over, np.float32(0.0)), np.float32(1.0))
        dx, dy, dz = dx - t * ux, dy - t * uy, dz - t * uz
        radius = first + slope * t
        distance = np.sqrt(dx * dx + dy * dy + dz * dz) - radius
        nearer = distance < own[v]
        own[v] = distance if nearer else own[v]
        width[v] = radius if nearer else width[v]


@inner
def _blended(total, thick, own, width, blend):
    """Join a line softly to those before it, by a share of the thinner one's radius; the line's own row is emptied."""
    for v in range(CELLS):
        reach = blend * min(width[v], thick[v]) if total[v] < _FAR else np.float32(0.0)
        overlap = max(reach - abs(total[v] - own[v]), np.float32(0.0))
        rounding = overlap * overlap * np.float32(0.25) / max(reach, np.float32(1e-20))
        thick[v] = thick[v] if total[v] < own[v] else width[v]
        total[v] = min(total[v], own[v]) - rounding
        own[v] = _EMPTY


@inner
def _place_rows(x, y, z, size):
    """The voxels of a brick from its first, scene units."""
    for v in range(CELLS):
        x[v] = np.float32((v & 7) * size)
        y[v] = np.float32(((v >> 3) & 7) * size)
        z[v] = np.float32((v >> 6) * size)


@inner
def _brick_filled(ends, radii, line, members, corner, size, blend, most, rows, out):
    x, y, z, own, width, total, thick = rows[0], rows[1], rows[2], rows[3], rows[4], rows[5], rows[6]
    _place_rows(x, y, z, size)
    own[:], width[:], total[:], thick[:] = _EMPTY, 0.0, _EMPTY, 0.0
    now = line[members[0]]
    for s in members:
        if line[s] != now:
            _blended(total, thick, own, width, blend)
            now = line[s]
        begin = (
            np.float32(ends[s, 0, 0] - corner[0]),
            np.float32(ends[s, 0, 1] - corner[1]),
            np.float32(ends[s, 0, 2] - corner[2]),
        )
        way = (
            np.float32(ends[s, 1, 0] - ends[s, 0, 0]),
            np.float32(ends[s, 1, 1] - ends[s, 0, 1]),
            np.float32(ends[s, 1, 2] - ends[s, 0, 2]),
        )
        squared = max(way[0] * way[0] + way[1] * way[1] + way[2] * way[2], np.float32(1e-30))
        first = np.float32(radii[s, 0])
        _near_segment(x, y, z, begin, way, squared, first, np.float32(radii[s, 1]) - first, own, width)
    _blended(total, thick, own, width, blend)
    under = np.float32(1.0 / size)
    for v in range(CELLS):
        out[v] = min(max(total[v] * under, -most), most)


@parallel_kernel
def _filled(ends, radii, line, origin, size, where, starts, members, blend, most, out):
    for b in prange(where.shape[0]):
        rows, corner = np.empty((7, CELLS), np.float32), np.empty(3)
        for axis in range(3):
            corner[axis] = origin[axis] + where[b, 2 - axis] * EDGE * size
        own = members[starts[b] : starts[b + 1]]
        _brick_filled(ends, radii, line, own, corner, size, blend, most, rows, out[b])


class Reach(NamedTuple):
    """Which segments may be near which bricks: numbers in the table, ascending, int64 (n,), and segments, int64 (n,)."""

    brick: NDArray[np.int64]
    segment: NDArray[np.int64]


def reach_of(segments: Segments, lattice: Lattice, band: float) -> Reach:
    """Which bricks segments may touch. band: how far from them distances are wanted, voxels."""
    shape, edge = np.array(lattice.shape), lattice.size * EDGE
    none = np.zeros(0, np.int64)
    room = (band + 1.0) * lattice.size
    count = _touched(segments, lattice.origin, edge, room, shape, none, none)
    brick, segment = np.empty(count, np.int64), np.empty(count, np.int64)
    if count:
        _touched(segments, lattice.origin, edge, room, shape, brick, segment)
    order = np.argsort(brick, kind="stable")
    return Reach(brick[order], segment[order])


def distances(segments: Segments, reach: Reach, lattice: Lattice, blend: float, band: float) -> Bricks:
    """Signed distances to segments as a volume.

    Parameters
    ----------
    segments : Segments
        Tapered segments, line after line.
    reach : Reach
        As `reach_of` gives it.
    lattice : Lattice
        Where the voxels lie.
    blend : float
        How softly lines are joined, in radii of the thinner one.
    band : float
        What distances are cut off at, voxels.

    Returns
    -------
    Bricks
        Negative inside.
    """
    chosen = np.zeros(lattice.shape, np.bool_)
    chosen.reshape(-1)[reach.brick] = True
    table, where = numbered(chosen, np.full(lattice.shape, OUTSIDE, np.int32))
    begins = np.flatnonzero(np.append(True, reach.brick[1:] != reach.brick[:-1]))
    starts = np.append(begins, len(reach.brick))
    values: Floats = np.empty((len(where), CELLS), np.float32)
    _filled(
        segments.ends, segments.radii, segments.line, lattice.origin, lattice.size, where, starts, reach.segment,
        np.float32(blend), np.float32(band), values,
    )  # fmt: skip
    return Bricks(lattice, table, where, values, band)
