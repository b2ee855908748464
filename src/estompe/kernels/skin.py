"""Points that follow joints: influence by distance to the bones, and dual quaternions so that bends keep their width.

Kavan, Collins, Žára and O'Sullivan, "Geometric Skinning with Approximate Dual Quaternion Blending" (2008),
doi:10.1145/1409625.1409627.
"""

from typing import NamedTuple

import numpy as np

from estompe.kernels import BLOCK
from estompe.kernels.compile import inner, kernel, parallel_kernel, prange
from estompe.kernels.transform import taken_into
from estompe.kernels.types import Floats, Matrix, read_only


@kernel
def _weights(rest, begins, ends, over, out):
    """How much each bone moves each point of a block, (bones, count): how much farther than the nearest bone it lies."""
    count = rest.shape[0] // 3
    x, y, z = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    nearest, total = np.empty(count, np.float32), np.empty(count, np.float32)
    for i in range(count):
        x[i], y[i], z[i] = rest[3 * i], rest[3 * i + 1], rest[3 * i + 2]
        nearest[i], total[i] = np.float32(3e38), np.float32(0.0)
    for b in range(begins.shape[0]):
        row = out[b]
        bx, by, bz = begins[b, 0], begins[b, 1], begins[b, 2]
        sx, sy, sz = ends[b, 0] - bx, ends[b, 1] - by, ends[b, 2] - bz
        under = np.float32(1.0) / max(sx * sx + sy * sy + sz * sz, np.float32(1e-20))
        for i in range(count):
            dx, dy, dz = x[i] - bx, y[i] - by, z[i] - bz
            t = min(max((dx * sx + dy * sy + dz * sz) * under, np.float32(0.0)), np.float32(1.0))
            dx, dy, dz = dx - t * sx, dy - t * sy, dz - t * sz
            row[i] = np.sqrt(dx * dx + dy * dy + dz * dz)
            nearest[i] = min(nearest[i], row[i])
    # Smooth from one at the nearest bone's distance to nothing at the radius beyond it.
    for b in range(begins.shape[0]):
        row = out[b]
        for i in range(count):
            t = max(np.float32(1.0) - (row[i] - nearest[i]) * over, np.float32(0.0))
            row[i] = t * t * (np.float32(3.0) - np.float32(2.0) * t)
            total[i] += row[i]
    for b in range(begins.shape[0]):
        row = out[b]
        for i in range(count):
            row[i] /= total[i]


@inner
def _blended(weights, bones, out):
    """The dual quaternions of a block: eight rows, real part first."""
    for part in range(8):
        row = out[part]
        for i in range(row.shape[0]):
            row[i] = np.float32(0.0)
        for b in range(bones.shape[0]):
            factor, fraction = bones[b, part], weights[b]
            for i in range(row.shape[0]):
                row[i] += fraction[i] * factor


@kernel
def _turned(x, y, z, blend):
    """Places into how far the blended turns and shifts take them."""
    two = np.float32(2.0)
    qw, qx, qy, qz = blend[0], blend[1], blend[2], blend[3]
    tw, tx, ty, tz = blend[4], blend[5], blend[6], blend[7]
    for i in range(x.shape[0]):
        w, a, b, c = qw[i], qx[i], qy[i], qz[i]
        over = two / max(w * w + a * a + b * b + c * c, np.float32(1e-20))
        dw, da, db, dc = tw[i], tx[i], ty[i], tz[i]
        px, py, pz = x[i], y[i], z[i]
        cx, cy, cz = b * pz - c * py + w * px, c * px - a * pz + w * py, a * py - b * px + w * pz
        x[i] = over * (b * cz - c * cy + w * da - dw * a + b * dc - c * db)
        y[i] = over * (c * cx - a * cz + w * db - dw * b + c * da - a * dc)
        z[i] = over * (a * cy - b * cx + w * dc - dw * c + a * db - b * da)


@inner
def _skin_block(points, rest, begins, ends, over, bones, to_local, to_world, strength, out):
    count = strength.shape[0]
    weights, blend = np.empty((begins.shape[0], count), np.float32), np.empty((8, count), np.float32)
    x, y, z = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    _weights(rest, begins, ends, over, weights)
    _blended(weights, bones, blend)
    taken_into(points, to_local, x, y, z)
    _turned(x, y, z, blend)
    a, b, c = to_world[0, 0], to_world[0, 1], to_world[0, 2]
    e, f, g = to_world[1, 0], to_world[1, 1], to_world[1, 2]
    j, k, m = to_world[2, 0], to_world[2, 1], to_world[2, 2]
    for i in range(count):
        s, sx, sy, sz = strength[i], x[i], y[i], z[i]
        out[3 * i] = points[3 * i] + s * (a * sx + b * sy + c * sz)
        out[3 * i + 1] = points[3 * i + 1] + s * (e * sx + f * sy + g * sz)
        out[3 * i + 2] = points[3 * i + 2] + s * (j * sx + k * sy + m * sz)


@parallel_kernel
def _skinned(points, rest, begins, ends, over, bones, to_local, to_world, strength, out):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        b, e = block * BLOCK, min(n, (block + 1) * BLOCK)
        c, d = 3 * b, 3 * e
        # Slices of the block, whose numbers cannot count from the end: only such loops vectorise.
        _skin_block(points[c:d], rest[c:d], begins, ends, over, bones, to_local, to_world, strength[b:e], out[c:d])


class Bones(NamedTuple):
    """Where bones begin and end at rest, float32 (bones, 3), and how each moves: a dual quaternion, float32 (bones, 4) twice."""

    begins: Floats
    ends: Floats
    real: Floats
    dual: Floats


def skinned(
    points: Floats, rest: Floats, bones: Bones, radius: float, to_local: Matrix, to_world: Matrix, strength: Floats
) -> Floats:
    """Points moved by the bones near them at rest, as far as their strength says, float32 (n, 3).

    points, rest: float32 (n, 3); radius: scene units over which bones share a point; to_local, to_world: (3, 4), world to
    the space of the bones and back; strength: float32 (n,).
    """
    # Opposite quaternions are the same turn: all are blended from the first one's side.
    side = np.where(bones.real @ bones.real[0] < 0.0, np.float32(-1.0), np.float32(1.0))[:, None]
    motions = np.ascontiguousarray(side * np.concatenate([bones.real, bones.dual], axis=1), np.float32)
    over, matrices = np.float32(1.0 / max(radius, 1e-9)), (to_local.astype(np.float32), to_world.astype(np.float32))
    out = np.empty_like(points)
    _skinned(
        read_only(points).reshape(-1), read_only(rest).reshape(-1), bones.begins, bones.ends, over, motions, *matrices,
        read_only(strength), out.reshape(-1),
    )  # fmt: skip
    return out
