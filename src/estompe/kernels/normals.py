"""Normals of polygon faces, by Newell's sum, and of points, as the area-weighted mean of the faces around them.

Newell's method: Sutherland, Sproull and Schumacker, "A Characterization of Ten Hidden-Surface Algorithms" (1974),
doi:10.1145/356625.356626. For a triangle it is the cross product of two edges, for a quad that of its diagonals.
"""

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

# Indices are unsigned, so that none is asked whether it counts from the end: that took two fifths of the time.
_U = np.uint64
_ONE, _TWO, _THREE = _U(1), _U(2), _U(3)


@inlined
def _cross_into(out, f, ax, ay, az, bx, by, bz):
    out[f] = ay * bz - az * by
    out[f + _ONE] = az * bx - ax * bz
    out[f + _TWO] = ax * by - ay * bx


@inlined
def _newell(flat, corners, begin, end, out, f):
    x = np.float32(0.0)
    y = np.float32(0.0)
    z = np.float32(0.0)
    p = 3 * np.int64(corners[end - 1])
    for c in range(begin, end):
        q = 3 * np.int64(corners[c])
        x += (flat[p + 1] - flat[q + 1]) * (flat[p + 2] + flat[q + 2])
        y += (flat[p + 2] - flat[q + 2]) * (flat[p] + flat[q])
        z += (flat[p] - flat[q]) * (flat[p + 1] + flat[q + 1])
        p = q
    out[3 * f], out[3 * f + 1], out[3 * f + 2] = x, y, z


@inlined
def _small_face(flat, corners, begin, fourth, out, f):
    """A triangle is a quad whose fourth corner is its first."""
    a = _THREE * _U(corners[begin])
    b = _THREE * _U(corners[begin + _ONE])
    c = _THREE * _U(corners[begin + _TWO])
    d = _THREE * _U(corners[begin + fourth])
    _cross_into(out, f, flat[c] - flat[a], flat[c + _ONE] - flat[a + _ONE], flat[c + _TWO] - flat[a + _TWO],
                flat[d] - flat[b], flat[d + _ONE] - flat[b + _ONE], flat[d + _TWO] - flat[b + _TWO])  # fmt: skip


@inlined
def _faces_range(flat, corners, offsets, first, last, out):
    for f in range(first, last):
        begin, end = offsets[_U(f)], offsets[_U(f) + _ONE]
        if end - begin == 4:
            _small_face(flat, corners, _U(begin), _THREE, out, _THREE * _U(f))
        elif end - begin == 3:
            _small_face(flat, corners, _U(begin), _U(0), out, _THREE * _U(f))
        else:
            _newell(flat, corners, begin, end, out, f)


@kernel
def _faces_serial(flat, corners, offsets, out):
    _faces_range(flat, corners, offsets, 0, offsets.shape[0] - 1, out)


@parallel_kernel
def _faces_parallel(flat, corners, offsets, out):
    n = offsets.shape[0] - 1
    for block in prange((n + BLOCK - 1) // BLOCK):
        _faces_range(flat, corners, offsets, block * BLOCK, min(n, (block + 1) * BLOCK), out)


def face_normals(points: Floats, corners: Indices, offsets: Indices, out: Floats | None = None) -> Floats:
    """Twice-area normals of faces (not unit length; zero for a face without area).

    points: float32 (n, 3); corners: int32 (m,); offsets: int32 (faces + 1,); out: float32 (faces, 3) to write into.
    Returns float32 (faces, 3).
    """
    if out is None:
        out = np.empty((len(offsets) - 1, 3), np.float32)
    run = _faces_serial if len(out) < PARALLEL_FROM // 4 else _faces_parallel
    run(read_only(points).reshape(-1), read_only(corners), read_only(offsets), out.reshape(-1))
    return out


@inlined
def _sum_around(face, members, begin, end):
    x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
    for m in range(begin, end):
        f = _THREE * _U(members[_U(m)])
        x, y, z = x + face[f], y + face[f + _ONE], z + face[f + _TWO]
    return x, y, z


@inlined
def _points_range(face, starts, members, first, last, out):
    for p in range(first, last):
        begin, end = starts[_U(p)], starts[_U(p) + _ONE]
        # Known to be four, the loop is none: most points of most meshes have four faces.
        four = end - begin == 4
        x, y, z = _sum_around(face, members, begin, begin + 4) if four else _sum_around(face, members, begin, end)
        length = np.sqrt(x * x + y * y + z * z)
        scale = np.float32(1.0) / length if length > np.float32(0.0) else np.float32(0.0)
        at = _THREE * _U(p)
        out[at], out[at + _ONE], out[at + _TWO] = x * scale, y * scale, z * scale


@kernel
def _points_serial(face, starts, members, out):
    _points_range(face, starts, members, 0, starts.shape[0] - 1, out)


@parallel_kernel
def _points_parallel(face, starts, members, out):
    n = starts.shape[0] - 1
    for block in prange((n + BLOCK - 1) // BLOCK):
        _points_range(face, starts, members, block * BLOCK, min(n, (block + 1) * BLOCK), out)


def point_normals(face: Floats, starts: Indices, faces: Indices) -> Floats:
    """Unit normals of points: the mean of their faces' normals weighted by area; zero for points without faces.

    face: float32 (faces, 3), twice-area normals; starts: int32 (n + 1,) and faces: int32, the faces around each point.
    Returns float32 (n, 3).
    """
    out = np.empty((len(starts) - 1, 3), np.float32)
    run = _points_serial if len(out) < PARALLEL_FROM // 4 else _points_parallel
    run(read_only(face).reshape(-1), read_only(starts), read_only(faces), out.reshape(-1))
    return out
