"""How a body touches points, and what it does to them."""

from enum import IntEnum

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, parallel_kernel, prange
from estompe.kernels.transform import taken_into
from estompe.kernels.types import Floats, Matrix, read_only


class Body(IntEnum):
    """The places nearer than a radius to a core: the origin by length or by the largest part, an axis, or a plane."""

    SPHERE = 0
    BOX = 1
    PLANE = 2
    CYLINDER = 3


_BOX, _PLANE, _CYLINDER = int(Body.BOX), int(Body.PLANE), int(Body.CYLINDER)
_ZERO = np.float32(0.0)


@inlined
def _outwards(x, y, z, body):
    """Places into the way out of the body, as long as they are far from its core."""
    for i in range(x.shape[0]):
        ax, ay, az = abs(x[i]), abs(y[i]), abs(z[i])
        if body == _CYLINDER:
            across = x[i] * x[i] + z[i] * z[i] >= y[i] * y[i]
            along_x, along_y, along_z = across, not across, across
        elif body == _BOX:
            along_x = ax >= ay and ax >= az
            along_y = not along_x and ay >= az
            along_z = not along_x and not along_y
        else:
            along_x, along_y, along_z = body != _PLANE, True, body != _PLANE
        x[i] = x[i] if along_x else _ZERO
        y[i] = y[i] if along_y else _ZERO
        z[i] = z[i] if along_z else _ZERO


@parallel_kernel
def _touched(points, to_local, to_world, body, radius, depth, onto):
    n = depth.shape[0]
    xx, xy, xz = to_world[0, 0], to_world[0, 1], to_world[0, 2]
    yx, yy, yz = to_world[1, 0], to_world[1, 1], to_world[1, 2]
    zx, zy, zz = to_world[2, 0], to_world[2, 1], to_world[2, 2]
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, last = block * BLOCK, min(n, (block + 1) * BLOCK)
        count = last - first
        x, y, z = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
        deep = depth[first:last]
        own, place = points[3 * first : 3 * last], onto[3 * first : 3 * last]
        taken_into(own, to_local, x, y, z)
        _outwards(x, y, z, body)
        for i in range(count):
            far = np.sqrt(x[i] * x[i] + y[i] * y[i] + z[i] * z[i])
            fraction = (radius - far) / max(far, np.float32(1e-12))
            sx, sy, sz = x[i] * fraction, y[i] * fraction, z[i] * fraction
            # The step onto the surface as it is in the world.
            x[i] = xx * sx + xy * sy + xz * sz
            y[i] = yx * sx + yy * sy + yz * sz
            z[i] = zx * sx + zy * sy + zz * sz
            length = np.sqrt(x[i] * x[i] + y[i] * y[i] + z[i] * z[i])
            deep[i] = length if far < radius else -length
        for i in range(count):
            place[3 * i], place[3 * i + 1], place[3 * i + 2] = (
                own[3 * i] + x[i],
                own[3 * i + 1] + y[i],
                own[3 * i + 2] + z[i],
            )


def touched(points: Floats, to_local: Matrix, to_world: Matrix, body: Body, radius: float) -> tuple[Floats, Floats]:
    """How far each point lies inside a body, negative outside, scene units, float32 (n,), and where it would be on its surface.

    points: float32 (n, 3); to_local, to_world: (3, 4), world to the body's own space and back; radius: in own units.
    """
    depth, onto = np.empty(len(points), np.float32), np.empty_like(points)
    matrices = to_local.astype(np.float32), to_world.astype(np.float32)
    _touched(read_only(points).reshape(-1), *matrices, int(body), np.float32(radius), depth, onto.reshape(-1))
    return depth, onto


@inlined
def _press_block(points, normals, onto, depth, strength, around, width, pressed, along):
    count = strength.shape[0]
    step, swell = np.empty(count, np.float32), np.empty(count, np.float32)
    for i in range(count):
        s = strength[i]
        inside = depth[i] > _ZERO and s > _ZERO
        step[i] = s if inside else _ZERO
        swell[i] = _ZERO if inside or depth[i] <= -width else around[i] * s
    for i in range(count):
        for p in range(3 * i, 3 * i + 3):
            pressed[p] = points[p] + step[i] * (onto[p] - points[p])
            along[p] = normals[p] * swell[i]


@parallel_kernel
def _pressed(points, normals, onto, depth, strength, around, width, pressed, along):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b, e = block * BLOCK, min(n, (block + 1) * BLOCK)
        c, d = 3 * b, 3 * e
        _press_block(
            points[c:d],
            normals[c:d],
            onto[c:d],
            depth[b:e],
            strength[b:e],
            around[b:e],
            width,
            pressed[c:d],
            along[c:d],
        )


def pressed(
    points: Floats, normals: Floats, onto: Floats, depth: Floats, strength: Floats, around: Floats, width: float
) -> tuple[Floats, Floats]:
    """Points inside brought onto the body, and the way of those around it to swell, both float32 (n, 3).

    points, normals, onto: float32 (n, 3); depth, strength: float32 (n,); around: float32 (n,), the swelling's profile;
    width: scene units outside over which it swells.
    """
    moved, along = np.empty_like(points), np.empty_like(points)
    flat = (read_only(array).reshape(-1) for array in (points, normals, onto))
    values = (read_only(array) for array in (depth, strength, around))
    _pressed(*flat, *values, np.float32(width), moved.reshape(-1), along.reshape(-1))
    return moved, along
