"""Fractal gradient noise in three dimensions, and in three dimensions plus time.

Lattice gradients are hashed with integer arithmetic (no table), so blocks of points vectorise. The fade is the quintic
of Perlin, "Improving Noise" (2002), doi:10.1145/566654.566636. Octaves double the frequency exactly, and take a seed
of their own, so float32 lattice offsets stay exact.
"""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, read_only

_X = np.uint32(0x9E3779B1)
_Y = np.uint32(0x85EBCA77)
_Z = np.uint32(0xC2B2AE3D)
_W = np.uint32(0x27D4EB2F)
_MIX = np.uint32(0x2C1B3C6D)
_MIX_AGAIN = np.uint32(0x297A2D39)
_OCTAVE = np.uint32(0x68E31DA4)

# Gradient components are 10-bit (3-D) and 8-bit (4-D) fields of the hash, centred on zero. The scales below bring
# one octave to about -1..1.
_CENTRE_3 = np.float32(511.5)
_SCALE_3 = np.float32(1.3 / 511.5)
_CENTRE_4 = np.float32(127.5)
_SCALE_4 = np.float32(1.3 / 127.5)


@inlined
def mixed_bits(bits):
    """A hash of 32 bits."""
    bits = np.uint32(bits ^ np.uint32(bits >> np.uint32(15)))
    bits = np.uint32(bits * _MIX)
    bits = np.uint32(bits ^ np.uint32(bits >> np.uint32(12)))
    bits = np.uint32(bits * _MIX_AGAIN)
    return np.uint32(bits ^ np.uint32(bits >> np.uint32(15)))


@inlined
def _corner_3(bits, dx, dy, dz):
    bits = mixed_bits(bits)
    gx = np.float32(np.int32(bits & np.uint32(1023))) - _CENTRE_3
    gy = np.float32(np.int32(np.uint32(bits >> np.uint32(10)) & np.uint32(1023))) - _CENTRE_3
    gz = np.float32(np.int32(np.uint32(bits >> np.uint32(20)) & np.uint32(1023))) - _CENTRE_3
    return gx * dx + gy * dy + gz * dz


@inlined
def _corner_4(bits, dx, dy, dz, dw):
    bits = mixed_bits(bits)
    gx = np.float32(np.int32(bits & np.uint32(255))) - _CENTRE_4
    gy = np.float32(np.int32(np.uint32(bits >> np.uint32(8)) & np.uint32(255))) - _CENTRE_4
    gz = np.float32(np.int32(np.uint32(bits >> np.uint32(16)) & np.uint32(255))) - _CENTRE_4
    gw = np.float32(np.int32(np.uint32(bits >> np.uint32(24)))) - _CENTRE_4
    return gx * dx + gy * dy + gz * dz + gw * dw


@inlined
def _fade(t):
    return t * t * t * (t * (t * np.float32(6.0) - np.float32(15.0)) + np.float32(10.0))


@inlined
def _mix(a, b, t):
    return a + t * (b - a)


@inlined
def _octave_3(x, y, z, seed):
    fx = np.floor(x)
    fy = np.floor(y)
    fz = np.floor(z)
    dx = np.float32(x - fx)
    dy = np.float32(y - fy)
    dz = np.float32(z - fz)
    one = np.float32(1.0)
    hx = np.uint32(np.uint32(np.int32(fx)) * _X)
    hy = np.uint32(np.uint32(np.int32(fy)) * _Y)
    hz = np.uint32(np.uint32(np.uint32(np.int32(fz)) * _Z) ^ seed)
    gx = np.uint32(hx + _X)
    gy = np.uint32(hy + _Y)
    gz = np.uint32(np.uint32(np.uint32(np.uint32(np.int32(fz)) * _Z) + _Z) ^ seed)
    u = _fade(dx)
    v = _fade(dy)
    w = _fade(dz)
    ex = dx - one
    ey = dy - one
    ez = dz - one
    h00 = np.uint32(hy ^ hz)
    h10 = np.uint32(gy ^ hz)
    h01 = np.uint32(hy ^ gz)
    h11 = np.uint32(gy ^ gz)
    low = _mix(
        _mix(_corner_3(np.uint32(hx ^ h00), dx, dy, dz), _corner_3(np.uint32(gx ^ h00), ex, dy, dz), u),
        _mix(_corner_3(np.uint32(hx ^ h10), dx, ey, dz), _corner_3(np.uint32(gx ^ h10), ex, ey, dz), u),
        v,
    )
    high = _mix(
        _mix(_corner_3(np.uint32(hx ^ h01), dx, dy, ez), _corner_3(np.uint32(gx ^ h01), ex, dy, ez), u),
        _mix(_corner_3(np.uint32(hx ^ h11), dx, ey, ez), _corner_3(np.uint32(gx ^ h11), ex, ey, ez), u),
        v,
    )
    return _mix(low, high, w) * _SCALE_3


@inlined
def _cell_4(hx, gx, hyzw, gyzw, hyz2, gyz2, dx, dy, dz, dw, ex, ey, ez, u, v, w):
    low = _mix(
        _mix(_corner_4(np.uint32(hx ^ hyzw), dx, dy, dz, dw), _corner_4(np.uint32(gx ^ hyzw), ex, dy, dz, dw), u),
        _mix(_corner_4(np.uint32(hx ^ gyzw), dx, ey, dz, dw), _corner_4(np.uint32(gx ^ gyzw), ex, ey, dz, dw), u),
        v,
    )
    high = _mix(
        _mix(_corner_4(np.uint32(hx ^ hyz2), dx, dy, ez, dw), _corner_4(np.uint32(gx ^ hyz2), ex, dy, ez, dw), u),
        _mix(_corner_4(np.uint32(hx ^ gyz2), dx, ey, ez, dw), _corner_4(np.uint32(gx ^ gyz2), ex, ey, ez, dw), u),
        v,
    )
    return _mix(low, high, w)


@inlined
def _octave_4(x, y, z, hw, gw, dw, t, seed):
    fx = np.floor(x)
    fy = np.floor(y)
    fz = np.floor(z)
    dx = np.float32(x - fx)
    dy = np.float32(y - fy)
    dz = np.float32(z - fz)
    one = np.float32(1.0)
    hx = np.uint32(np.uint32(np.int32(fx)) * _X)
    hy = np.uint32(np.uint32(np.int32(fy)) * _Y)
    nz = np.uint32(np.uint32(np.int32(fz)) * _Z)
    hz = np.uint32(nz ^ seed)
    gz = np.uint32(np.uint32(nz + _Z) ^ seed)
    gx = np.uint32(hx + _X)
    gy = np.uint32(hy + _Y)
    u = _fade(dx)
    v = _fade(dy)
    w = _fade(dz)
    ex = dx - one
    ey = dy - one
    ez = dz - one
    a = np.uint32(hy ^ hz)
    b = np.uint32(gy ^ hz)
    c = np.uint32(hy ^ gz)
    d = np.uint32(gy ^ gz)
    before = _cell_4(hx, gx, np.uint32(a ^ hw), np.uint32(b ^ hw), np.uint32(c ^ hw), np.uint32(d ^ hw),
                     dx, dy, dz, dw, ex, ey, ez, u, v, w)  # fmt: skip
    after = _cell_4(hx, gx, np.uint32(a ^ gw), np.uint32(b ^ gw), np.uint32(c ^ gw), np.uint32(d ^ gw),
                    dx, dy, dz, dw - one, ex, ey, ez, u, v, w)  # fmt: skip
    return _mix(before, after, t) * _SCALE_4


@inlined
def _split(flat, scale, x, y, z):
    for i in range(flat.shape[0] // 3):
        x[i] = flat[3 * i] * scale
        y[i] = flat[3 * i + 1] * scale
        z[i] = flat[3 * i + 2] * scale


@inlined
def _octave_seed(seed, octave):
    return mixed_bits(np.uint32(np.uint32(seed) + np.uint32(np.uint32(octave + 1) * _OCTAVE)))


@inlined
def _block_3(flat, out, frequency, octaves, roughness, amount, seed):
    count = out.shape[0]
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    _split(flat, frequency, x, y, z)
    out[:] = np.float32(0.0)
    scale = np.float32(1.0)
    weight = np.float32(amount)
    for octave in range(octaves):
        octave_seed = _octave_seed(seed, octave)
        for i in range(count):
            out[i] += weight * _octave_3(x[i] * scale, y[i] * scale, z[i] * scale, octave_seed)
        scale = np.float32(scale * np.float32(2.0))
        weight = np.float32(weight * roughness)


@inlined
def _block_4(flat, out, frequency, time, period, octaves, roughness, amount, seed):
    count = out.shape[0]
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    _split(flat, frequency, x, y, z)
    out[:] = np.float32(0.0)
    scale = np.float32(1.0)
    weight = np.float32(amount)
    for octave in range(octaves):
        octave_seed = _octave_seed(seed, octave)
        moment = np.float32(time * scale)
        whole = np.floor(moment)
        dw = np.float32(moment - whole)
        step = np.int32(whole)
        following = np.int32(step + 1)
        if period > 0:
            # Octaves have twice as many steps each, so a whole period is whole for all of them.
            around = np.int32(period * np.int32(scale))
            step = np.int32(step % around)
            following = np.int32(following % around)
        hw = np.uint32(np.uint32(step) * _W)
        gw = np.uint32(np.uint32(following) * _W)
        t = _fade(dw)
        for i in range(count):
            out[i] += weight * _octave_4(x[i] * scale, y[i] * scale, z[i] * scale, hw, gw, dw, t, octave_seed)
        scale = np.float32(scale * np.float32(2.0))
        weight = np.float32(weight * roughness)


@kernel
def _noise_3_serial(flat, out, frequency, octaves, roughness, amount, seed):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block_3(flat[3 * begin : 3 * end], out[begin:end], frequency, octaves, roughness, amount, seed)


@parallel_kernel
def _noise_3_parallel(flat, out, frequency, octaves, roughness, amount, seed):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block_3(flat[3 * begin : 3 * end], out[begin:end], frequency, octaves, roughness, amount, seed)


@kernel
def _noise_4_serial(flat, out, frequency, time, period, octaves, roughness, amount, seed):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block_4(flat[3 * begin : 3 * end], out[begin:end], frequency, time, period, octaves, roughness, amount, seed)


@parallel_kernel
def _noise_4_parallel(flat, out, frequency, time, period, octaves, roughness, amount, seed):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block_4(flat[3 * begin : 3 * end], out[begin:end], frequency, time, period, octaves, roughness, amount, seed)


def gradient_noise(
    points: Floats,
    size: float,
    octaves: int,
    roughness: float,
    amount: float,
    seed: int,
    time: float | None = None,
    period: int = 0,
) -> Floats:
    """Fractal gradient noise at points, centred on zero, about -amount..amount for one octave.

    points: float32 (n, 3), scene units; size: width of the largest cells, scene units; time: lattice steps of the fourth
    dimension, or None for noise that does not evolve; period: whole steps of time after which it repeats exactly, or 0.
    Returns float32 (n,).
    """
    out = np.empty(len(points), np.float32)
    serial = len(points) < PARALLEL_FROM // 8
    shape = (octaves, np.float32(roughness), np.float32(amount), np.uint32(seed))
    frequency = np.float32(1.0 / max(size, 1e-6))
    if time is None:
        (_noise_3_serial if serial else _noise_3_parallel)(read_only(points).reshape(-1), out, frequency, *shape)
    else:
        run = _noise_4_serial if serial else _noise_4_parallel
        run(read_only(points).reshape(-1), out, frequency, np.float32(time), np.int32(period), *shape)
    return out
