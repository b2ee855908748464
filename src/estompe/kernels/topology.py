"""Connectivity of polygon meshes: triangles for drawing, faces around each point."""

import math

import numpy as np
from numpy.typing import NDArray

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only


@kernel
def triangle_corners(offsets):
    """Each face as a fan of triangles.

    offsets: int32 (faces + 1,), where each face's corners begin. Returns corner numbers, int32 (triangles, 3), and the face
    of each triangle, int32 (triangles,).
    """
    faces = offsets.shape[0] - 1
    total = 0
    for f in range(faces):
        total += offsets[f + 1] - offsets[f] - 2
    corners = np.empty((total, 3), np.int32)
    owner = np.empty(total, np.int32)
    t = 0
    for f in range(faces):
        first = offsets[f]
        for c in range(first + 1, offsets[f + 1] - 1):
            corners[t, 0] = first
            corners[t, 1] = c
            corners[t, 2] = c + 1
            owner[t] = f
            t += 1
    return corners, owner


@kernel
def corner_faces(offsets):
    """The face each corner belongs to. offsets: int32 (faces + 1,). Returns int32 (corners,)."""
    out = np.empty(offsets[-1], np.int32)
    for f in range(offsets.shape[0] - 1):
        for c in range(offsets[f], offsets[f + 1]):
            out[c] = f
    return out


@parallel_kernel
def _face_means(values, corners, offsets, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for f in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            total = np.float32(0.0)
            for c in range(offsets[f], offsets[f + 1]):
                total += values[np.uint64(corners[c])]
            out[f] = total / np.float32(max(offsets[f + 1] - offsets[f], 1))


def face_means(values: Floats, corners: Indices, offsets: Indices) -> Floats:
    """The mean of point values over each face's corners, float32 (faces,). values: float32 (n,)."""
    out = np.empty(len(offsets) - 1, np.float32)
    _face_means(read_only(values), read_only(corners), read_only(offsets), out)
    return out


@parallel_kernel
def _point_means(values, starts, members, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for point in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            first, last = starts[point], starts[point + 1]
            for k in range(values.shape[1]):
                total = np.float32(0.0)
                for m in range(first, last):
                    total += values[np.uint64(members[m]), k]
                out[point, k] = total / np.float32(max(last - first, 1))


def point_means(values: Floats, starts: Indices, members: Indices) -> Floats:
    """The mean of the values around each point, zero where there are none, float32 (points,) or (points, k).

    values: float32 (m,) or (m, k); starts, members: which of them each point has, as `corners_of_points` gives it.
    """
    columns = values.reshape(len(values), math.prod(values.shape[1:]))
    out = np.empty((len(starts) - 1, columns.shape[1]), np.float32)
    _point_means(read_only(columns), read_only(starts), read_only(members), out)
    return out.reshape(len(out), *values.shape[1:])


@kernel
def _group(keys, groups):
    starts = np.zeros(groups + 1, np.int32)
    for key in keys:
        starts[key + 1] += 1
    for g in range(groups):
        starts[g + 1] += starts[g]
    cursor = starts[:-1].copy()
    members = np.empty(keys.shape[0], np.int32)
    for i in range(keys.shape[0]):
        key = keys[i]
        members[cursor[key]] = i
        cursor[key] += 1
    return starts, members


@kernel
def _steepest(values, pairs):
    most = np.float32(0.0)
    for e in range(pairs.shape[0]):
        # Unsigned, so that no index is asked whether it counts from the end.
        most = max(most, abs(values[np.uint64(pairs[e, 0])] - values[np.uint64(pairs[e, 1])]))
    return most


@parallel_kernel
def _steepest_in_parts(values, pairs, out):
    n = pairs.shape[0]
    parts = out.shape[0]
    for part in prange(parts):
        begin, end = part * n // parts, (part + 1) * n // parts
        out[part] = _steepest(values, pairs[begin:end])


def steepest(values: Floats, pairs: Indices) -> float:
    """The largest difference of two values that a pair joins. values: float32 (n,); pairs: int32 (e, 2)."""
    if len(pairs) < PARALLEL_FROM:
        return float(_steepest(read_only(values), read_only(pairs)))
    out = np.zeros(16, np.float32)
    _steepest_in_parts(read_only(values), read_only(pairs), out)
    return float(out.max())


def corners_of_points(corners: Indices, points: int) -> tuple[Indices, Indices]:
    """Corner numbers grouped by point: starts, int32 (points + 1,), and members, int32 (corners,), in ascending order."""
    starts, members = _group(corners, points)
    return starts, members


def _edge_codes(corners: Indices, offsets: Indices, points: int) -> NDArray[np.int64]:
    """A number for the edge that follows each corner, the same for both faces beside it."""
    following = np.empty_like(corners)
    following[:-1] = corners[1:]
    counts = np.diff(offsets)
    following[offsets[1:][counts > 0] - 1] = corners[offsets[:-1][counts > 0]]
    low = np.minimum(corners, following).astype(np.int64)
    return np.asarray(low * points + np.maximum(corners, following))


def face_pairs(corners: Indices, offsets: Indices, points: int, corner_faces: Indices) -> Indices:
    """Faces that share an edge, each pair once, int32 (e, 2). corner_faces: int32 (corners,), the face of each corner."""
    codes = _edge_codes(corners, offsets, points)
    order = np.argsort(codes, kind="stable")
    same = codes[order[1:]] == codes[order[:-1]]
    pairs = np.stack([corner_faces[order[:-1][same]], corner_faces[order[1:][same]]], axis=1)
    return np.ascontiguousarray(pairs.astype(np.int32))


def shared_edges(corners: Indices, offsets: Indices, points: int) -> tuple[Indices, Indices]:
    """Where faces meet along an edge: corners at the same point, the one in the one face, the other in the next.

    Returns two int32 (2 e,): each two in a row are the ends of one edge. Of an edge of three faces there are two such meetings.
    """
    codes = _edge_codes(corners, offsets, points)
    order = np.argsort(codes, kind="stable")
    same = codes[order[1:]] == codes[order[:-1]]
    one, other = order[:-1][same], order[1:][same]
    following = np.arange(1, len(corners) + 1)
    ends = offsets[1:][np.diff(offsets) > 0]
    following[ends - 1] = offsets[:-1][np.diff(offsets) > 0]
    here = np.stack([one, following[one]], axis=1)
    there = np.stack([other, following[other]], axis=1)
    # Neighbours mostly run against each other along their edge.
    crossed = corners[here[:, 0]] != corners[there[:, 0]]
    there[crossed] = there[crossed][:, ::-1]
    return here.reshape(-1).astype(np.int32), there.reshape(-1).astype(np.int32)


def edges(corners: Indices, offsets: Indices, points: int) -> tuple[Indices, Indices]:
    """Unique edges as point pairs, int32 (edges, 2), and how many faces use each, int32 (edges,)."""
    codes, uses = np.unique(_edge_codes(corners, offsets, points), return_counts=True)
    return np.stack([codes // points, codes % points], axis=1).astype(np.int32), uses.astype(np.int32)


def triangle_edges(triangles: Indices, points: int) -> Indices:
    """The number of the edge that follows each corner, int32 (t, 3); neighbours share it. triangles: int32 (t, 3)."""
    following = np.roll(triangles, -1, axis=1)
    low, high = np.minimum(triangles, following).astype(np.int64), np.maximum(triangles, following)
    _, numbers = np.unique(low * points + high, return_inverse=True)
    return numbers.reshape(-1, 3).astype(np.int32)
