"""Fractal value, simplex, cellular and sparse-convolution noise; gradient noise has a file of its own.

All share one idea of time: what is random in a lattice cell swings to and fro at a pace of its own (`estompe.kernels.swings`).

Simplex: Perlin, "Noise Hardware" (2001). Cellular: Worley, "A Cellular Texture Basis Function" (1996),
doi:10.1145/237170.237267. Sparse convolution: Lewis, "Algorithms for Solid Noise Synthesis" (1989), doi:10.1145/74334.74360.
"""

from enum import IntEnum

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.noise import _X, _Y, _Z, _fade, _mix, _octave_seed, _split, mixed_bits
from estompe.kernels.swings import pace_of, swings
from estompe.kernels.types import Floats, read_only


class Pattern(IntEnum):
    """What is random in each cell, and how cells are joined."""

    VALUE = 0
    SIMPLEX = 1
    SPARSE = 2
    NEAREST = 3
    DIFFERENCE = 4
    CELL = 5


_VALUE, _SIMPLEX, _SPARSE = int(Pattern.VALUE), int(Pattern.SIMPLEX), int(Pattern.SPARSE)
_NEAREST, _DIFFERENCE, _CELL = int(Pattern.NEAREST), int(Pattern.DIFFERENCE), int(Pattern.CELL)
_ONE = np.float32(1.0)
_TO_UNIT = np.float32(1.0 / 1024.0)
_TO_PHASE = np.float32(1.0 / 2.0**24)
_AGAIN = np.uint32(0x9E3779B9)
_IMPULSES = 2


@inlined
def _shift(bits, turn, slowest, paces):
    """How far a cell has swung, 0..1."""
    return np.float32(np.uint32(np.uint32(turn * pace_of(bits, slowest, paces)) >> np.uint32(8))) * _TO_PHASE


@inlined
def _swing(unit, phase):
    """A number 0..1 that moves to and fro: itself at phase 0, evenly irregularity at all times. Returns -1..1."""
    t = unit + phase
    t = t - np.floor(t)
    return np.float32(4.0) * abs(t - np.float32(0.5)) - _ONE


@inlined
def _field(bits, shift):
    return np.float32(np.int32(np.uint32(bits >> np.uint32(shift)) & np.uint32(1023))) * _TO_UNIT


@inlined
def _hashed(ix, iy, iz, seed):
    return mixed_bits(
        np.uint32(
            np.uint32(np.uint32(np.uint32(ix) * _X) ^ np.uint32(np.uint32(iy) * _Y))
            ^ np.uint32(np.uint32(np.uint32(iz) * _Z) ^ seed)
        )
    )


@inlined
def _lattice(hx, hy, hz, turn, slowest, paces):
    bits = mixed_bits(np.uint32(np.uint32(hx ^ hy) ^ hz))
    return _swing(_field(bits, 0), _shift(bits, turn, slowest, paces))


@inlined
def _value(x, y, z, seed, turn, slowest, paces):
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    u, v, w = _fade(np.float32(x - fx)), _fade(np.float32(y - fy)), _fade(np.float32(z - fz))
    hx = np.uint32(np.uint32(np.int32(fx)) * _X)
    hy = np.uint32(np.uint32(np.int32(fy)) * _Y)
    nz = np.uint32(np.uint32(np.int32(fz)) * _Z)
    hz = np.uint32(nz ^ seed)
    gx = np.uint32(hx + _X)
    gy = np.uint32(hy + _Y)
    gz = np.uint32(np.uint32(nz + _Z) ^ seed)
    low = _mix(
        _mix(_lattice(hx, hy, hz, turn, slowest, paces), _lattice(gx, hy, hz, turn, slowest, paces), u),
        _mix(_lattice(hx, gy, hz, turn, slowest, paces), _lattice(gx, gy, hz, turn, slowest, paces), u),
        v,
    )
    high = _mix(
        _mix(_lattice(hx, hy, gz, turn, slowest, paces), _lattice(gx, hy, gz, turn, slowest, paces), u),
        _mix(_lattice(hx, gy, gz, turn, slowest, paces), _lattice(gx, gy, gz, turn, slowest, paces), u),
        v,
    )
    return _mix(low, high, w)


@inlined
def _corner(ix, iy, iz, dx, dy, dz, seed, turn, slowest, paces):
    bits = _hashed(ix, iy, iz, seed)
    phase = _shift(bits, turn, slowest, paces)
    support = max(np.float32(0.6) - dx * dx - dy * dy - dz * dz, np.float32(0.0))
    support = support * support
    gradient = (
        _swing(_field(bits, 0), phase) * dx
        + _swing(_field(bits, 10), phase) * dy
        + _swing(_field(bits, 20), phase) * dz
    )
    return support * support * gradient


@inlined
def _simplex(x, y, z, seed, turn, slowest, paces):
    skew = (x + y + z) * np.float32(1.0 / 3.0)
    fx, fy, fz = np.floor(x + skew), np.floor(y + skew), np.floor(z + skew)
    back = (fx + fy + fz) * np.float32(1.0 / 6.0)
    dx, dy, dz = x - fx + back, y - fy + back, z - fz + back
    ix, iy, iz = np.int32(fx), np.int32(fy), np.int32(fz)
    # The order of the offsets says which of six simplices it is; comparisons keep the loop free of branches.
    xy, xz, yz = np.int32(dx >= dy), np.int32(dx >= dz), np.int32(dy >= dz)
    x1, y1, z1 = xy & xz, (1 - xy) & yz, (1 - xz) & (1 - yz)
    x2, y2, z2 = xy | xz, (1 - xy) | yz, (1 - xz) | (1 - yz)
    one, two = np.float32(1.0 / 6.0), np.float32(1.0 / 3.0)
    total = _corner(ix, iy, iz, dx, dy, dz, seed, turn, slowest, paces)
    total += _corner(
        ix + x1,
        iy + y1,
        iz + z1,
        dx - np.float32(x1) + one,
        dy - np.float32(y1) + one,
        dz - np.float32(z1) + one,
        seed,
        turn,
        slowest,
        paces,
    )
    total += _corner(
        ix + x2,
        iy + y2,
        iz + z2,
        dx - np.float32(x2) + two,
        dy - np.float32(y2) + two,
        dz - np.float32(z2) + two,
        seed,
        turn,
        slowest,
        paces,
    )
    half = np.float32(0.5)
    total += _corner(ix + 1, iy + 1, iz + 1, dx - half, dy - half, dz - half, seed, turn, slowest, paces)
    return np.float32(29.0) * total


@inlined
def _sparse_block(x, y, z, total, scale, weight, seed, turn, slowest, paces, count):
    for cell in range(27):
        ox, oy, oz = np.int32(cell % 3 - 1), np.int32(cell // 3 % 3 - 1), np.int32(cell // 9 - 1)
        for i in range(count):
            px, py, pz = x[i] * scale, y[i] * scale, z[i] * scale
            fx, fy, fz = np.floor(px), np.floor(py), np.floor(pz)
            ix, iy, iz = np.int32(fx) + ox, np.int32(fy) + oy, np.int32(fz) + oz
            qx, qy, qz = px - fx - np.float32(ox), py - fy - np.float32(oy), pz - fz - np.float32(oz)
            bits = _hashed(ix, iy, iz, seed)
            for _ in range(_IMPULSES):
                dx, dy, dz = qx - _field(bits, 0), qy - _field(bits, 10), qz - _field(bits, 20)
                support = max(_ONE - dx * dx - dy * dy - dz * dz, np.float32(0.0))
                bits = mixed_bits(np.uint32(bits + _AGAIN))
                swung = _swing(_field(bits, 0), _shift(bits, turn, slowest, paces))
                total[i] += np.float32(0.5) * weight * swung * support * support * support
                bits = mixed_bits(np.uint32(bits + _AGAIN))


@inlined
def _cells(x, y, z, px, py, pz, hx, hy, hz, scale, seed, count):
    """Each point's place in its cell, and its cell's part of the hash along each axis."""
    for i in range(count):
        ax, ay, az = x[i] * scale, y[i] * scale, z[i] * scale
        fx, fy, fz = np.floor(ax), np.floor(ay), np.floor(az)
        px[i] = ax - fx - np.float32(0.5)
        py[i] = ay - fy - np.float32(0.5)
        pz[i] = az - fz - np.float32(0.5)
        hx[i] = np.uint32(np.uint32(np.int32(fx)) * _X)
        hy[i] = np.uint32(np.uint32(np.int32(fy)) * _Y)
        hz[i] = np.uint32(np.uint32(np.int32(fz)) * _Z)


@inlined
def _feature(px, py, pz, hx, hy, hz, ox, oy, oz, cx, cy, cz, irregularity, seed, turn, slowest, paces, moving):
    """The squared distance to a neighbouring cell's feature point, and the cell's hash."""
    bits = mixed_bits(
        np.uint32(np.uint32(np.uint32(hx + cx) ^ np.uint32(hy + cy)) ^ np.uint32(np.uint32(hz + cz) ^ seed))
    )
    ux, uy, uz = _field(bits, 0), _field(bits, 10), _field(bits, 20)
    half, four = np.float32(0.5), np.float32(4.0)
    if moving:
        phase = _shift(bits, turn, slowest, paces)
        sx, sy, sz = _swing(ux, phase), _swing(uy, phase), _swing(uz, phase)
    else:
        sx, sy, sz = four * abs(ux - half) - _ONE, four * abs(uy - half) - _ONE, four * abs(uz - half) - _ONE
    dx = px - ox - half * irregularity * sx
    dy = py - oy - half * irregularity * sy
    dz = pz - oz - half * irregularity * sz
    return dx * dx + dy * dy + dz * dz, bits


@inlined
def _cellular_block(x, y, z, nearest, second, number, scale, irregularity, seed, turn, slowest, paces, count, numbered):
    px, py, pz = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    hx, hy, hz = np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32), np.empty(BLOCK, np.uint32)
    _cells(x, y, z, px, py, pz, hx, hy, hz, scale, seed, count)
    for i in range(count):
        nearest[i] = np.float32(1e9)
        second[i] = np.float32(1e9)
    moving = turn != np.uint32(0)
    for cell in range(27):
        ix, iy, iz = np.int32(cell % 3 - 1), np.int32(cell // 3 % 3 - 1), np.int32(cell // 9 - 1)
        ox, oy, oz = np.float32(ix), np.float32(iy), np.float32(iz)
        cx = np.uint32(np.uint32(ix) * _X)
        cy = np.uint32(np.uint32(iy) * _Y)
        cz = np.uint32(np.uint32(iz) * _Z)
        if moving:
            for i in range(count):
                d, bits = _feature(
                    px[i], py[i], pz[i], hx[i], hy[i], hz[i], ox, oy, oz, cx, cy, cz, irregularity, seed, turn,
                    slowest, paces, True,
                )  # fmt: skip
                near = nearest[i]
                second[i] = min(max(d, near), second[i])
                number[i] = bits if d < near else number[i]
                nearest[i] = min(d, near)
        elif numbered:
            for i in range(count):
                d, bits = _feature(
                    px[i], py[i], pz[i], hx[i], hy[i], hz[i], ox, oy, oz, cx, cy, cz, irregularity, seed, turn,
                    slowest, paces, False,
                )  # fmt: skip
                number[i] = bits if d < nearest[i] else number[i]
                nearest[i] = min(d, nearest[i])
        else:
            for i in range(count):
                d, _ = _feature(
                    px[i], py[i], pz[i], hx[i], hy[i], hz[i], ox, oy, oz, cx, cy, cz, irregularity, seed, turn,
                    slowest, paces, False,
                )  # fmt: skip
                near = nearest[i]
                second[i] = min(max(d, near), second[i])
                nearest[i] = min(d, near)


@inlined
def _block(flat, out, pattern, frequency, octaves, roughness, irregularity, seed, turn, slowest, paces):
    count = out.shape[0]
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    nearest = np.empty(BLOCK, np.float32)
    second = np.empty(BLOCK, np.float32)
    number = np.zeros(BLOCK, np.uint32)
    _split(flat, frequency, x, y, z)
    out[:] = np.float32(0.0)
    scale = np.float32(1.0)
    weight = np.float32(1.0)
    swing = np.uint32(turn)
    for octave in range(octaves):
        own = _octave_seed(seed, octave)
        if pattern == _VALUE:
            for i in range(count):
                out[i] += weight * _value(x[i] * scale, y[i] * scale, z[i] * scale, own, swing, slowest, paces)
        elif pattern == _SIMPLEX:
            for i in range(count):
                out[i] += weight * _simplex(x[i] * scale, y[i] * scale, z[i] * scale, own, swing, slowest, paces)
        elif pattern == _SPARSE:
            _sparse_block(x, y, z, out, scale, weight, own, swing, slowest, paces, count)
        else:
            _cellular_block(
                x,
                y,
                z,
                nearest,
                second,
                number,
                scale,
                irregularity,
                own,
                swing,
                slowest,
                paces,
                count,
                pattern == _CELL,
            )
            if pattern == _NEAREST:
                for i in range(count):
                    out[i] += weight * np.sqrt(nearest[i])
            elif pattern == _DIFFERENCE:
                for i in range(count):
                    out[i] += weight * (np.sqrt(second[i]) - np.sqrt(nearest[i]))
            else:
                for i in range(count):
                    out[i] += weight * _field(mixed_bits(number[i]), 0)
        scale = np.float32(scale * np.float32(2.0))
        swing = np.uint32(swing * np.uint32(2))
        weight = np.float32(weight * roughness)


@kernel
def _pattern_serial(flat, out, pattern, frequency, octaves, roughness, irregularity, seed, turn, slowest, paces):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(
            flat[3 * b : 3 * e],
            out[b:e],
            pattern,
            frequency,
            octaves,
            roughness,
            irregularity,
            seed,
            turn,
            slowest,
            paces,
        )


@parallel_kernel
def _pattern_parallel(flat, out, pattern, frequency, octaves, roughness, irregularity, seed, turn, slowest, paces):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b = block * BLOCK
        e = min(n, b + BLOCK)
        _block(
            flat[3 * b : 3 * e],
            out[b:e],
            pattern,
            frequency,
            octaves,
            roughness,
            irregularity,
            seed,
            turn,
            slowest,
            paces,
        )


def pattern_noise(
    points: Floats,
    pattern: Pattern,
    size: float,
    octaves: int,
    roughness: float,
    seed: int,
    phase: float = 0.0,
    irregularity: float = 1.0,
    turns: int = 0,
) -> Floats:
    """Fractal noise of a pattern. Value, simplex and sparse are centred on zero; cellular ones begin at 0.

    points: float32 (n, 3), scene units; size: width of the largest cells, scene units; phase: swings of what is random, of the
    mean pace; irregularity: 0 for cells in a grid, 1 for wild ones (beyond about 0.8 the distance to the second nearest may be
    too large where it lies two cells away); turns: swings after which everything is back, 0 for never. Returns float32 (n,).
    """
    out = np.empty(len(points), np.float32)
    run = _pattern_serial if len(points) < PARALLEL_FROM // 16 else _pattern_parallel
    run(read_only(points).reshape(-1), out, int(pattern), np.float32(1.0 / max(size, 1e-6)), octaves, np.float32(roughness),
        np.float32(irregularity), np.uint32(seed), *swings(phase, turns))  # fmt: skip
    return out


@kernel
def _levels(values, low, high, gain, shift, amount, centred):
    out = np.empty_like(values)
    width = max(high - low, np.float32(1e-6))
    for i in range(values.shape[0]):
        unit = min(max((values[i] - low) / width, np.float32(0.0)), _ONE)
        unit = (unit - np.float32(0.5)) * gain + np.float32(0.5) + shift
        out[i] = amount * (np.float32(2.0) * unit - _ONE if centred else unit)
    return out


def levels(
    values: Floats, low: float, high: float, contrast: float, brightness: float, amount: float, centred: bool
) -> Floats:
    """Values cut at low and high, irregularity over 0..1, with contrast about the middle and brightness added.

    centred: the result reaches from -amount to amount rather than from 0 to amount. Returns float32 (n,).
    """
    single = np.float32
    made: Floats = _levels(
        read_only(values), single(low), single(high), single(contrast), single(brightness), single(amount), centred
    )
    return made
