"""Points that follow joints: influence by distance to the bones, and dual quaternions so that bends keep their width.

Kavan, Collins, Žára and O'Sullivan, "Geometric Skinning with Approximate Dual Quaternion Blending" (2008),
doi:10.1145/1409625.1409627.
"""

import numpy as np
from numba import prange

from estompe.kernels import BLOCK
from estompe.kernels.compile import parallel_kernel
from estompe.kernels.types import Floats, read_only

_MOST = 64


@parallel_kernel
def _influence(points, begins, ends, reach, out):
    bones = begins.shape[0]
    n = points.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for p in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            total = np.float32(0.0)
            nearest = np.float32(3e38)
            for b in range(bones):
                sx, sy, sz = ends[b, 0] - begins[b, 0], ends[b, 1] - begins[b, 1], ends[b, 2] - begins[b, 2]
                dx, dy, dz = points[p, 0] - begins[b, 0], points[p, 1] - begins[b, 1], points[p, 2] - begins[b, 2]
                length = max(sx * sx + sy * sy + sz * sz, np.float32(1e-20))
                t = min(max((dx * sx + dy * sy + dz * sz) / length, np.float32(0.0)), np.float32(1.0))
                dx, dy, dz = dx - t * sx, dy - t * sy, dz - t * sz
                d = np.sqrt(dx * dx + dy * dy + dz * dz)
                out[p, b] = d
                nearest = min(nearest, d)
            for b in range(bones):
                # How much farther than the nearest bone: 1 at none, 0 from the reach on, smooth between.
                t = max(np.float32(1.0) - (out[p, b] - nearest) / reach, np.float32(0.0))
                out[p, b] = t * t * (np.float32(3.0) - np.float32(2.0) * t)
                total += out[p, b]
            for b in range(bones):
                out[p, b] /= total


def influence(points: Floats, begins: Floats, ends: Floats, reach: float) -> Floats:
    """How much each bone moves each point, float32 (n, bones), adding up to 1.

    points: float32 (n, 3); begins, ends: float32 (bones, 3); reach: scene units over which bones share a point.
    """
    out = np.empty((len(points), len(begins)), np.float32)
    _influence(read_only(points), begins, ends, np.float32(max(reach, 1e-9)), out)
    return out


@parallel_kernel
def _skinned(points, weights, real, dual, strength, out):
    n = points.shape[0]
    bones = weights.shape[1]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for p in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            w, x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
            dw, dx, dy, dz = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for b in range(bones):
                share = weights[p, b]
                # Opposite quaternions are the same turn: blend them from the same side.
                if (
                    real[b, 0] * real[0, 0]
                    + real[b, 1] * real[0, 1]
                    + real[b, 2] * real[0, 2]
                    + real[b, 3] * real[0, 3]
                    < 0
                ):
                    share = -share
                w += share * real[b, 0]
                x += share * real[b, 1]
                y += share * real[b, 2]
                z += share * real[b, 3]
                dw += share * dual[b, 0]
                dx += share * dual[b, 1]
                dy += share * dual[b, 2]
                dz += share * dual[b, 3]
            over = np.float32(1.0) / np.sqrt(max(w * w + x * x + y * y + z * z, np.float32(1e-20)))
            w, x, y, z = w * over, x * over, y * over, z * over
            dw, dx, dy, dz = dw * over, dx * over, dy * over, dz * over
            px, py, pz = points[p, 0], points[p, 1], points[p, 2]
            two = np.float32(2.0)
            cx, cy, cz = y * pz - z * py + w * px, z * px - x * pz + w * py, x * py - y * px + w * pz
            qx, qy, qz = px + two * (y * cz - z * cy), py + two * (z * cx - x * cz), pz + two * (x * cy - y * cx)
            qx += two * (w * dx - dw * x + y * dz - z * dy)
            qy += two * (w * dy - dw * y + z * dx - x * dz)
            qz += two * (w * dz - dw * z + x * dy - y * dx)
            s = strength[p]
            out[p, 0] = px + s * (qx - px)
            out[p, 1] = py + s * (qy - py)
            out[p, 2] = pz + s * (qz - pz)


def skinned(points: Floats, weights: Floats, real: Floats, dual: Floats, strength: Floats) -> Floats:
    """Points moved by blended dual quaternions, as far as their strength says.

    points: float32 (n, 3); weights: float32 (n, bones); real, dual: float32 (bones, 4), w first; strength: float32 (n,).
    """
    out = np.empty_like(points)
    _skinned(read_only(points), weights, real, dual, read_only(strength), out)
    return out
