"""Quaternions and impulses in the loops of rigid bodies: scalar helpers that disappear into their callers."""

from estompe.kernels.compile import inlined


@inlined
def turned(rotation, k, x, y, z):
    """A direction of a body's own space in the world."""
    a, b, c, d = rotation[k, 0], rotation[k, 1], rotation[k, 2], rotation[k, 3]
    u, v, w = c * z - d * y + a * x, d * x - b * z + a * y, b * y - c * x + a * z
    return x + 2.0 * (c * w - d * v), y + 2.0 * (d * u - b * w), z + 2.0 * (b * v - c * u)


@inlined
def turned_back(rotation, k, x, y, z):
    """A direction of the world in a body's own space."""
    a, b, c, d = rotation[k, 0], -rotation[k, 1], -rotation[k, 2], -rotation[k, 3]
    u, v, w = c * z - d * y + a * x, d * x - b * z + a * y, b * y - c * x + a * z
    return x + 2.0 * (c * w - d * v), y + 2.0 * (d * u - b * w), z + 2.0 * (b * v - c * u)


@inlined
def matrix_into(rotation, k, out):
    """The rotation of a body as a matrix, in place."""
    a, b, c, d = rotation[k, 0], rotation[k, 1], rotation[k, 2], rotation[k, 3]
    out[0, 0], out[0, 1], out[0, 2] = 1.0 - 2.0 * (c * c + d * d), 2.0 * (b * c - a * d), 2.0 * (b * d + a * c)
    out[1, 0], out[1, 1], out[1, 2] = 2.0 * (b * c + a * d), 1.0 - 2.0 * (b * b + d * d), 2.0 * (c * d - a * b)
    out[2, 0], out[2, 1], out[2, 2] = 2.0 * (b * d - a * c), 2.0 * (c * d + a * b), 1.0 - 2.0 * (b * b + c * c)


@inlined
def pushed(bodies, k, sign, rx, ry, rz, jx, jy, jz):
    """An impulse on a body at an arm, in place."""
    if bodies.weight[k] > 0.0:
        share = sign * bodies.weight[k]
        velocity, spin = bodies.velocity, bodies.spin
        velocity[k, 0] += share * jx
        velocity[k, 1] += share * jy
        velocity[k, 2] += share * jz
        tx, ty, tz = sign * (ry * jz - rz * jy), sign * (rz * jx - rx * jz), sign * (rx * jy - ry * jx)
        inertia = bodies.inertia[k]
        spin[k, 0] += inertia[0, 0] * tx + inertia[0, 1] * ty + inertia[0, 2] * tz
        spin[k, 1] += inertia[1, 0] * tx + inertia[1, 1] * ty + inertia[1, 2] * tz
        spin[k, 2] += inertia[2, 0] * tx + inertia[2, 1] * ty + inertia[2, 2] * tz


@inlined
def yielding(bodies, k, rx, ry, rz, nx, ny, nz):
    """The inverse mass of a body at an arm along a direction."""
    if bodies.weight[k] == 0.0:
        return 0.0
    tx, ty, tz = ry * nz - rz * ny, rz * nx - rx * nz, rx * ny - ry * nx
    inertia = bodies.inertia[k]
    return (
        bodies.weight[k]
        + tx * (inertia[0, 0] * tx + inertia[0, 1] * ty + inertia[0, 2] * tz)
        + ty * (inertia[1, 0] * tx + inertia[1, 1] * ty + inertia[1, 2] * tz)
        + tz * (inertia[2, 0] * tx + inertia[2, 1] * ty + inertia[2, 2] * tz)
    )


@inlined
def passing(bodies, a, b, ax, ay, az, bx, by, bz):
    """The velocity of the second body at an arm, seen from the first at its own."""
    v, w = bodies.velocity, bodies.spin
    x = v[b, 0] + w[b, 1] * bz - w[b, 2] * by - v[a, 0] - w[a, 1] * az + w[a, 2] * ay
    y = v[b, 1] + w[b, 2] * bx - w[b, 0] * bz - v[a, 1] - w[a, 2] * ax + w[a, 0] * az
    z = v[b, 2] + w[b, 0] * by - w[b, 1] * bx - v[a, 2] - w[a, 0] * ay + w[a, 1] * ax
    return x, y, z
