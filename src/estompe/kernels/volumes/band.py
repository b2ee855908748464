"""Changing a volume in its band: blurred, rounded by curvature, distances anew, the volume kept."""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.bricks import (
    EDGE,
    FAR,
    INSIDE,
    OUTSIDE,
    Bricks,
    load,
    marked_bricks,
    numbered,
    widened,
    within,
)
from estompe.kernels.volumes.eikonal import arrival


def gathered(bricks: Bricks, where: Indices) -> Floats:
    """The values of a volume on bricks of its lattice, stored or not, float32 (slots, 512). where: int32 (slots, 3), z y x."""
    own = bricks.table[tuple(where.T)]
    out = np.empty((len(where), 512), np.float32)
    stored = own >= 0
    out[stored] = bricks.values[own[stored]]
    out[~stored] = np.where(own[~stored] == OUTSIDE, np.float32(bricks.most), np.float32(-bricks.most))[:, None]
    return out


def _with_room(bricks: Bricks, voxels: int) -> Bricks:
    """The same volume, with the bricks around each whose values are not the same throughout within some voxels of its sides."""
    if not len(bricks.where):
        return bricks
    values, depth = bricks.values.reshape(-1, EDGE, EDGE, EDGE), min(voxels, EDGE)
    changes = np.zeros(len(values), np.bool_)
    for axis in range(1, 4):
        for side in (slice(0, depth), slice(EDGE - depth, None)):
            part = values[(slice(None),) * axis + (side,)].reshape(len(values), -1)
            changes |= part.min(axis=1) < bricks.most
    around = widened(marked_bricks(bricks.table.shape, bricks.where[changes]))
    chosen = (bricks.table >= 0) | around
    table, where = numbered(chosen, bricks.table)
    if len(where) == len(bricks.where):
        return bricks
    return Bricks(bricks.lattice, table, where, gathered(bricks, where), bricks.most)


@parallel_kernel
def _curved(table, where, values, most, step, out):
    width = 10
    for s in prange(where.shape[0]):
        u = np.empty(width * width * width, np.float32)
        load(table, values, where[s, 0], where[s, 1], where[s, 2], most, 1, 1, u)
        half, quarter = np.float32(0.5), np.float32(0.25)
        dx, dy, dz = 1, width, width * width
        for z in range(8):
            for y in range(8):
                p0, q0 = ((z + 1) * width + y + 1) * width + 1, (z * 8 + y) * 8
                for x in range(8):
                    p = p0 + x
                    c = u[p]
                    gx, gy, gz = (
                        half * (u[p + dx] - u[p - dx]),
                        half * (u[p + dy] - u[p - dy]),
                        half * (u[p + dz] - u[p - dz]),
                    )
                    xx, yy = u[p + dx] + u[p - dx] - c - c, u[p + dy] + u[p - dy] - c - c
                    zz = u[p + dz] + u[p - dz] - c - c
                    xy = quarter * (u[p + dx + dy] - u[p + dx - dy] - u[p - dx + dy] + u[p - dx - dy])
                    xz = quarter * (u[p + dx + dz] - u[p + dx - dz] - u[p - dx + dz] + u[p - dx - dz])
                    yz = quarter * (u[p + dy + dz] - u[p + dy - dz] - u[p - dy + dz] + u[p - dy - dz])
                    squared = gx * gx + gy * gy + gz * gz + np.float32(1e-6)
                    bend = gx * gx * (yy + zz) + gy * gy * (xx + zz) + gz * gz * (xx + yy)
                    bend -= np.float32(2.0) * (gx * gy * xy + gx * gz * xz + gy * gz * yz)
                    # Next to where values are cut off differences are none.
                    inner = abs(c) < most - half
                    out[s, q0 + x] = c + step * bend / squared if inner else c


_CURVATURE_STEP = 0.15


def curved(bricks: Bricks, way: float, go_on: Callable[[], None] = lambda: None) -> Bricks:
    """Mean-curvature flow, each place at the speed of the sum of both curvatures.

    Osher and Sethian, "Fronts propagating with curvature-dependent speed" (1988), doi:10.1016/0021-9991(88)90002-2.

    way: for how long, voxels squared: a ball of radius r becomes one of sqrt(r² - 4 way); go_on: called between steps,
    may raise.
    """
    steps = max(1, math.ceil(way / _CURVATURE_STEP))
    step = np.float32(way / steps)
    a, b = bricks.values.copy(), np.empty_like(bricks.values)
    table, where, _ = bricks.given
    for _ in range(steps):
        go_on()
        _curved(table, where, read_only(a), np.float32(bricks.most), step, b)
        a, b = b, a
    return bricks._replace(values=a)


@parallel_kernel
def _blurred(table, where, values, most, weights, out):
    """Three passes of seven voxels within a brick and its surroundings.

    weights: that of the middle, and those of the others as parts of it. So each sum adds one product, which the compiler can
    contract in one way only: of two it may take either, and a process that compiles had other last bits than one that loads.
    """
    w0, w1, w2, w3 = weights[0], weights[1], weights[2], weights[3]
    for s in prange(where.shape[0]):
        u = np.empty(14 * 14 * 14, np.float32)
        v = np.empty(14 * 14 * 8, np.float32)
        w = np.empty(14 * 8 * 8, np.float32)
        load(table, values, where[s, 0], where[s, 1], where[s, 2], most, 3, 3, u)
        for r in range(14 * 14):
            for x in range(8):
                p = r * 14 + x
                near = u[p + 3] + w1 * (u[p + 2] + u[p + 4])
                v[r * 8 + x] = w0 * (near + w2 * (u[p + 1] + u[p + 5]) + w3 * (u[p] + u[p + 6]))
        for z in range(14):
            for y in range(8):
                p, q = (z * 14 + y) * 8, (z * 8 + y) * 8
                for x in range(8):
                    near = v[p + x + 24] + w1 * (v[p + x + 16] + v[p + x + 32])
                    w[q + x] = w0 * (near + w2 * (v[p + x + 8] + v[p + x + 40]) + w3 * (v[p + x] + v[p + x + 48]))
        for z in range(8):
            for i in range(64):
                p = z * 64 + i
                near = w[p + 192] + w1 * (w[p + 128] + w[p + 256])
                out[s, p] = w0 * (near + w2 * (w[p + 64] + w[p + 320]) + w3 * (w[p] + w[p + 384]))


_WIDEST_BLUR = 1.2


def blurred(bricks: Bricks, sigma: float) -> Bricks:
    """The values through a Gaussian, so many voxels wide; wide ones by several narrow passes.

    Where the surface may move into bricks that are not stored, those are added.
    """
    bricks = _with_room(bricks, math.ceil(3.0 * sigma))
    passes = max(1, math.ceil((sigma / _WIDEST_BLUR) ** 2))
    taps = np.exp(-0.5 * (np.arange(4) / (sigma / math.sqrt(passes))) ** 2)
    taps[0] = 1.0 / (1.0 + 2.0 * taps[1:].sum())
    taps = taps.astype(np.float32)
    table, where, values = bricks.given
    for _ in range(passes):
        out = np.empty_like(values)
        _blurred(table, where, read_only(values), np.float32(bricks.most), taps, out)
        values = out
    return bricks._replace(values=values)


@parallel_kernel
def _beside_surface(table, where, values, most, distance, open_):
    """Voxels next to a change of sign get their distance by the slope there; others are open."""
    width = 10
    for s in prange(where.shape[0]):
        u = np.empty(width * width * width, np.float32)
        load(table, values, where[s, 0], where[s, 1], where[s, 2], most, 1, 1, u)
        for z in range(8):
            for y in range(8):
                for x in range(8):
                    p, q = ((z + 1) * width + y + 1) * width + x + 1, (z * 8 + y) * 8 + x
                    c = u[p]
                    near, squared = False, np.float32(0.0)
                    for axis in range(3):
                        d = 1 if axis == 0 else (width if axis == 1 else width * width)
                        left, right = u[p - d], u[p + d]
                        if (left < 0) != (c < 0) or (right < 0) != (c < 0):
                            near = True
                        slope = np.float32(0.5) * (right - left)
                        # One-sided where a neighbour is cut off.
                        if abs(left) >= most:
                            slope = right - c
                        if abs(right) >= most:
                            slope = c - left
                        squared += slope * slope
                    open_[s, q] = not near
                    distance[s, q] = abs(c) / max(math.sqrt(squared), np.float32(0.3)) if near else FAR


@parallel_kernel
def _one_side(values, distance, open_, inside, times, slow):
    """The start for one side: distances there, their negatives just across, nothing known elsewhere."""
    for s in prange(values.shape[0]):
        for i in range(512):
            mine = (values[s, i] < 0) == inside
            if not open_[s, i]:
                times[s, i], slow[s, i] = (distance[s, i] if mine else -distance[s, i]), np.float32(0.0)
            else:
                times[s, i], slow[s, i] = FAR, (np.float32(1.0) if mine else np.float32(0.0))


@parallel_kernel
def _both_sides(values, outer, inner, most, out):
    for s in prange(values.shape[0]):
        for i in range(512):
            out[s, i] = -min(abs(inner[s, i]), most) if values[s, i] < 0 else min(abs(outer[s, i]), most)


def redistanced(bricks: Bricks, go_on: Callable[[], None] = lambda: None) -> Bricks:
    """Distances anew from where the values change sign; go_on: called between rounds, may raise."""
    return bricks._replace(values=distances_on(bricks, np.arange(len(bricks.where)), go_on))


def distances_on(bricks: Bricks, slots: NDArray[np.int64], go_on: Callable[[], None] = lambda: None) -> Floats:
    """Distances anew on some bricks, from where values change sign there, float32 (k, 512)."""
    most = np.float32(bricks.most)
    table, where, values = bricks.given
    own, where = read_only(values[slots]), read_only(np.ascontiguousarray(where[slots]))
    numbers = np.full(table.shape, OUTSIDE, np.int32)
    numbers[tuple(where.T)] = np.arange(len(where), dtype=np.int32)
    distance, open_ = np.empty_like(own), np.empty(own.shape, np.bool_)
    _beside_surface(table, where, values, most, distance, open_)
    sides = []
    for inside in (False, True):
        times, slow = np.empty_like(distance), np.empty_like(distance)
        _one_side(own, distance, open_, inside, times, slow)
        arrival(numbers, where, times, slow, bricks.most + 0.5, 2.5, bricks.most + 0.75, go_on=go_on)
        sides.append(times)
    out = np.empty_like(distance)
    _both_sides(own, *sides, most, out)
    return out


@kernel
def _filled(values, shift):
    total = 0.0
    for s in range(values.shape[0]):
        part = np.float32(0.0)
        for i in range(512):
            part += min(max(np.float32(0.5) - values[s, i] - shift, np.float32(0.0)), np.float32(1.0))
        total += part
    return total


def filled(bricks: Bricks, shift: float = 0.0) -> float:
    """How many voxels a volume encloses, those at the surface in part. shift: added to all values first."""
    return float(_filled(read_only(bricks.values), np.float32(shift))) + 512.0 * int((bricks.table == INSIDE).sum())


def with_volume(bricks: Bricks, wanted: float) -> Bricks:
    """All values moved by one number so that so many voxels are enclosed: Newton, the area from a difference."""
    shift = 0.0
    for _ in range(4):
        now, next_ = filled(bricks, shift), filled(bricks, shift + 0.1)
        if abs(next_ - now) < 1e-6:
            break
        shift += float(np.clip((wanted - now) / ((next_ - now) / 0.1), -1.0, 1.0))
    shift = float(np.clip(shift, -0.75 * bricks.most, 0.75 * bricks.most))
    return bricks._replace(values=np.clip(bricks.values + np.float32(shift), -bricks.most, bricks.most))


def turned(bricks: Bricks) -> Bricks:
    """The outside as inside and the other way round."""
    table: Indices = np.where(bricks.table == INSIDE, OUTSIDE, np.where(bricks.table == OUTSIDE, INSIDE, bricks.table))
    return bricks._replace(table=table.astype(np.int32), values=-bricks.values)


def trimmed(bricks: Bricks, most: float) -> Bricks:
    """The same volume with values cut off nearer to its surface, and without the bricks that are then the same throughout."""
    values = np.clip(bricks.values, -most, most)
    kept = (np.abs(values) < most).any(axis=1)
    table = bricks.table.copy()
    dropped = bricks.where[~kept]
    table[tuple(dropped.T)] = np.where(values[~kept, 0] < 0.0, INSIDE, OUTSIDE)
    table[tuple(bricks.where[kept].T)] = np.arange(int(kept.sum()), dtype=np.int32)
    return Bricks(
        bricks.lattice, table, np.ascontiguousarray(bricks.where[kept]), np.ascontiguousarray(values[kept]), most
    )


def near_front(volume: Bricks, voxels: float) -> tuple[Indices, Indices, Indices]:
    """The bricks in which the surface may be after so many voxels of way: table, where, and the slots they had (or -1 -2)."""
    core = marked_bricks(volume.table.shape, volume.where[(np.abs(volume.values) < 1.0).any(axis=1)])
    if not core.any():
        return volume.table, volume.where, np.arange(len(volume.where), dtype=np.int32)
    near = within(core, voxels)
    table = volume.table.copy()
    dropped = (table >= 0) & ~near
    table[dropped] = np.where(volume.values[table[dropped], 0] < 0, INSIDE, OUTSIDE)
    numbers, where = numbered(near, table)
    return numbers, where, np.ascontiguousarray(volume.table[near])


def rebricked(bricks: Bricks) -> Bricks:
    """The same volume with bricks wherever its surface may move by a few voxels, and none elsewhere."""
    table, where, _ = near_front(bricks, bricks.most)
    return Bricks(bricks.lattice, table, where, gathered(bricks, where), bricks.most)
