"""Things that drift through the air: eddies without divergence, and flight with drag."""

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.noise import _CENTRE_3, _SCALE_3, _X, _Y, _Z, _fade, mixed_bits
from estompe.kernels.types import Floats, read_only

_ZERO, _ONE = np.float32(0.0), np.float32(1.0)
_FIELD, _FIELDS = np.uint32(10), np.uint32(1023)


@inlined
def _component(bits, shift):
    return np.float32(np.int32(np.uint32(bits >> shift) & _FIELDS)) - _CENTRE_3


@inlined
def _corner(bits, ex, ey, ez, wx, wy, wz, ux, uy, uz):
    """What one corner adds to the slopes: its gradient by its weights, and its value by the slopes of these."""
    bits = mixed_bits(bits)
    gx, gy, gz = _component(bits, np.uint32(0)), _component(bits, _FIELD), _component(bits, np.uint32(20))
    value = gx * ex + gy * ey + gz * ez
    yz, xz, xy = wy * wz, wx * wz, wx * wy
    return gx * wx * yz + value * ux * yz, gy * wx * yz + value * uy * xz, gz * wx * yz + value * uz * xy


@inlined
def _slopes(x, y, z, seed):
    """The slopes of gradient noise in lattice units (Perlin 2002, doi:10.1145/566654.566636)."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    dx, dy, dz = np.float32(x - fx), np.float32(y - fy), np.float32(z - fz)
    hx, hy = np.uint32(np.uint32(np.int32(fx)) * _X), np.uint32(np.uint32(np.int32(fy)) * _Y)
    hz = np.uint32(np.uint32(np.int32(fz)) * _Z)
    gx, gy = np.uint32(hx + _X), np.uint32(hy + _Y)
    gz = np.uint32(np.uint32(hz + _Z) ^ seed)
    hz = np.uint32(hz ^ seed)
    u, v, w, thirty = _fade(dx), _fade(dy), _fade(dz), np.float32(30.0)
    ex, ey, ez = dx - _ONE, dy - _ONE, dz - _ONE
    du, dv, dw = thirty * dx * dx * ex * ex, thirty * dy * dy * ey * ey, thirty * dz * dz * ez * ez
    a, b, c = _ONE - u, _ONE - v, _ONE - w
    h00, h10, h01, h11 = np.uint32(hy ^ hz), np.uint32(gy ^ hz), np.uint32(hy ^ gz), np.uint32(gy ^ gz)
    x0, y0, z0 = _corner(np.uint32(hx ^ h00), dx, dy, dz, a, b, c, -du, -dv, -dw)
    x1, y1, z1 = _corner(np.uint32(gx ^ h00), ex, dy, dz, u, b, c, du, -dv, -dw)
    x2, y2, z2 = _corner(np.uint32(hx ^ h10), dx, ey, dz, a, v, c, -du, dv, -dw)
    x3, y3, z3 = _corner(np.uint32(gx ^ h10), ex, ey, dz, u, v, c, du, dv, -dw)
    x4, y4, z4 = _corner(np.uint32(hx ^ h01), dx, dy, ez, a, b, w, -du, -dv, dw)
    x5, y5, z5 = _corner(np.uint32(gx ^ h01), ex, dy, ez, u, b, w, du, -dv, dw)
    x6, y6, z6 = _corner(np.uint32(hx ^ h11), dx, ey, ez, a, v, w, -du, dv, dw)
    x7, y7, z7 = _corner(np.uint32(gx ^ h11), ex, ey, ez, u, v, w, du, dv, dw)
    return (
        (x0 + x1 + x2 + x3 + x4 + x5 + x6 + x7) * _SCALE_3,
        (y0 + y1 + y2 + y3 + y4 + y5 + y6 + y7) * _SCALE_3,
        (z0 + z1 + z2 + z3 + z4 + z5 + z6 + z7) * _SCALE_3,
    )


@parallel_kernel
def _eddies(places, frequency, amount, first, second, out):
    n = out.shape[0] // 3
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin, end = block * BLOCK, min(n, (block + 1) * BLOCK)
        own, flow = places[3 * begin : 3 * end], out[3 * begin : 3 * end]
        for i in range(end - begin):
            x, y, z = own[3 * i] * frequency, own[3 * i + 1] * frequency, own[3 * i + 2] * frequency
            ax, ay, az = _slopes(x, y, z, first)
            bx, by, bz = _slopes(x, y, z, second)
            flow[3 * i] = amount * (ay * bz - az * by)
            flow[3 * i + 1] = amount * (az * bx - ax * bz)
            flow[3 * i + 2] = amount * (ax * by - ay * bx)


def eddies(places: Floats, size: float, amount: float, seed: int) -> Floats:
    """A velocity field without divergence, float32 (n, 3): the cross product of the slopes of two noises.

    Parameters
    ----------
    places : float32 (n, 3)
        Scene units.
    size : float
        The width of an eddy, scene units.
    amount : float
        About the mean length of what comes out, scene units a second.
    seed : int

    Notes
    -----
    DeWolf 2005, "Divergence-free noise". The slopes are exact.
    """
    out = np.empty_like(places)
    # The mean length of the cross product of two slopes is about a half.
    strength, frequency = np.float32(2.0 * amount), np.float32(1.0 / max(size, 1e-6))
    _eddies(read_only(places).reshape(-1), frequency, strength, np.uint32(seed), np.uint32(seed + 2), out.reshape(-1))
    return out


@parallel_kernel
def _flown(position, velocity, air, gravity, drag, seconds, new_position, new_velocity):
    n = seconds.shape[0]
    half, little = np.float32(0.5), np.float32(1e-4)
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            time = seconds[i]
            left = np.exp(-drag * time)
            for axis in range(3):
                v, g = velocity[i, axis], gravity[axis]
                if drag < little:
                    new_position[i, axis] = position[i, axis] + v * time + half * g * time * time
                    new_velocity[i, axis] = v + g * time
                else:
                    end = air[i, axis] + g / drag
                    new_position[i, axis] = position[i, axis] + end * time + (v - end) * (_ONE - left) / drag
                    new_velocity[i, axis] = end + (v - end) * left


def flown(
    position: Floats, velocity: Floats, air: Floats, gravity: tuple[float, float, float], drag: float, seconds: Floats
) -> tuple[Floats, Floats]:
    """Where things are after a time of their own in air that moves evenly, and how fast: exact for drag linear in the velocity.

    Parameters
    ----------
    position, velocity, air : float32 (n, 3)
        Scene units, and scene units a second.
    gravity : three numbers
        Scene units a second squared.
    drag : float
        A second.
    seconds : float32 (n,)

    Returns
    -------
    position, velocity : float32 (n, 3)
    """
    out = np.empty_like(position), np.empty_like(position)
    pull = read_only(np.asarray(gravity, np.float32))
    arrays = (read_only(np.ascontiguousarray(array)) for array in (position, velocity, air))
    _flown(*arrays, pull, np.float32(drag), read_only(seconds), *out)
    return out


@parallel_kernel
def _rotated(axes, degrees, out):
    n = axes.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for k in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            a, b, c = np.radians(degrees[k, 0]), np.radians(degrees[k, 1]), np.radians(degrees[k, 2])
            sx, cx, sy, cy, sz, cz = np.sin(a), np.cos(a), np.sin(b), np.cos(b), np.sin(c), np.cos(c)
            for i in range(3):
                p, q, r = axes[k, 3 * i], axes[k, 3 * i + 1], axes[k, 3 * i + 2]
                out[k, 3 * i] = p * cz * cy + q * sz * cy - r * sy
                out[k, 3 * i + 1] = p * (cz * sy * sx - sz * cx) + q * (sz * sy * sx + cz * cx) + r * cy * sx
                out[k, 3 * i + 2] = p * (cz * sy * cx + sz * sx) + q * (sz * sy * cx - cz * sx) + r * cy * cx


def rotated(axes: Floats, degrees: Floats) -> Floats:
    """Axes turned about themselves by X, then Y, then Z, float32 (k, 9). axes: float32 (k, 9); degrees: float32 (k, 3)."""
    out = np.empty_like(axes)
    _rotated(read_only(axes), read_only(degrees), out)
    return out
