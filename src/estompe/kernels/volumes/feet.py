"""Where the front came from at places between voxels."""

import math

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.bricks import slot_at

_BLOCK = 512


@parallel_kernel
def _at(table, feet, places, apart, out):
    n = places.shape[0]
    for block in prange((n + _BLOCK - 1) // _BLOCK):
        for i in range(block * _BLOCK, min(n, (block + 1) * _BLOCK)):
            x, y, z = places[i, 0], places[i, 1], places[i, 2]
            out[i, 0], out[i, 1], out[i, 2] = x, y, z
            ix, iy, iz = math.floor(x), math.floor(y), math.floor(z)
            # The voxel nearest to the place leads; others join it where their feet lie near its own.
            fx, fy, fz = np.float32(x - ix), np.float32(y - iy), np.float32(z - iz)
            lead = np.float32(-1.0)
            lx, ly, lz = x, y, z
            for turn in range(2):
                sx, sy, sz, total = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
                for c in range(8):
                    jx, jy, jz = ix + (c & 1), iy + (c >> 1 & 1), iz + (c >> 2)
                    s = slot_at(table, jz, jy, jx)
                    if s < 0:
                        continue
                    at = ((jz & 7) * 8 + (jy & 7)) * 8 + (jx & 7)
                    one = np.float32(1.0)
                    w = (fx if c & 1 else one - fx) * (fy if c >> 1 & 1 else one - fy) * (fz if c >> 2 else one - fz)
                    px, py, pz = feet[s, 0, at], feet[s, 1, at], feet[s, 2, at]
                    if turn == 0:
                        if w > lead:
                            lead, lx, ly, lz = w, px, py, pz
                    elif (px - lx) * (px - lx) + (py - ly) * (py - ly) + (pz - lz) * (pz - lz) <= apart:
                        sx, sy, sz, total = sx + w * px, sy + w * py, sz + w * pz, total + w
                if turn == 1 and total > np.float32(0.0):
                    over = np.float32(1.0) / total
                    out[i, 0], out[i, 1], out[i, 2] = sx * over, sy * over, sz * over


def feet_at(table: Indices, feet: NDArray[np.float32], places: Floats, apart: float = 3.0) -> Floats:
    """The feet of places between voxels, float32 (n, 3), in voxels: mixed from those of the voxels around that lie near each
    other.

    table: of the bricks; feet: float32 (slots, 3, 512); places: float32 (n, 3), in voxels from the lattice's first; apart:
    voxels.
    """
    out = np.empty((len(places), 3), np.float32)
    _at(read_only(table), read_only(feet), read_only(places), np.float32(apart * apart), out)
    return out
