"""Pieces that move as wholes: their middles, where arms around them went, and the points that go with them."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

_ZERO, _ONE, _HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)
_TINY = np.float32(1e-20)
_ROUNDS = 5


@kernel
def _arms(middles, axes, length, out):
    n = middles.shape[0]
    for k in range(n):
        for i in range(3):
            out[k, i] = middles[k, i]
            for arm in range(3):
                out[(arm + 1) * n + k, i] = middles[k, i] + length * axes[k, 3 * i + arm]


def arms(middles: Floats, axes: Floats, length: float) -> Floats:
    """Middles and the ends of three arms along each one's axes, float32 (4 k, 3): all middles, all first ends, and so on.

    middles: float32 (k, 3); axes: float32 (k, 9), unit columns; length: scene units.
    """
    out = np.empty((4 * len(middles), 3), np.float32)
    _arms(read_only(middles), read_only(axes), np.float32(length), out)
    return out


@inlined
def _straightened(m, q):
    """The nearest rotation to a matrix of nine numbers, by Newton's rounds; whether there is one.

    Higham, "Computing the Polar Decomposition - with Applications" (1986), doi:10.1137/0907079.
    """
    for i in range(9):
        q[i] = m[i]
    for _ in range(_ROUNDS):
        a = q[4] * q[8] - q[5] * q[7]
        b = q[5] * q[6] - q[3] * q[8]
        c = q[3] * q[7] - q[4] * q[6]
        determinant = q[0] * a + q[1] * b + q[2] * c
        if abs(determinant) < np.float32(1e-6):
            return False
        over = _HALF / determinant
        d = q[2] * q[7] - q[1] * q[8]
        e = q[0] * q[8] - q[2] * q[6]
        f = q[1] * q[6] - q[0] * q[7]
        g = q[1] * q[5] - q[2] * q[4]
        h = q[2] * q[3] - q[0] * q[5]
        j = q[0] * q[4] - q[1] * q[3]
        q[0] = _HALF * q[0] + over * a
        q[1] = _HALF * q[1] + over * b
        q[2] = _HALF * q[2] + over * c
        q[3] = _HALF * q[3] + over * d
        q[4] = _HALF * q[4] + over * e
        q[5] = _HALF * q[5] + over * f
        q[6] = _HALF * q[6] + over * g
        q[7] = _HALF * q[7] + over * h
        q[8] = _HALF * q[8] + over * j
    return True


@parallel_kernel
def _followed(ends, axes, strength, over, resized, own, middles, new_middles, new_axes, sizes):
    n = middles.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        m = np.empty(9, np.float32)
        q = np.empty(9, np.float32)
        for k in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            if strength[k] == _ZERO:
                for i in range(3):
                    new_middles[k, i] = middles[k, i]
                    sizes[k, i] = _ONE
                for i in range(9):
                    new_axes[k, i] = axes[k, i]
                continue
            for arm in range(3):
                x = (ends[(arm + 1) * n + k, 0] - ends[k, 0]) * over
                y = (ends[(arm + 1) * n + k, 1] - ends[k, 1]) * over
                z = (ends[(arm + 1) * n + k, 2] - ends[k, 2]) * over
                length = np.sqrt(x * x + y * y + z * z)
                sizes[k, arm] = length if resized else _ONE
                by = _ONE / max(length, _TINY)
                m[arm], m[3 + arm], m[6 + arm] = x * by, y * by, z * by
            found = _straightened(m, q)
            if own:
                # Arms stood in the piece's own space: its axes carry them into the world.
                for i in range(3):
                    new_middles[k, i] = (
                        middles[k, i]
                        + axes[k, 3 * i] * ends[k, 0]
                        + axes[k, 3 * i + 1] * ends[k, 1]
                        + axes[k, 3 * i + 2] * ends[k, 2]
                    )
                    for j in range(3):
                        new_axes[k, 3 * i + j] = (
                            (axes[k, 3 * i] * q[j] + axes[k, 3 * i + 1] * q[3 + j] + axes[k, 3 * i + 2] * q[6 + j])
                            if found
                            else axes[k, 3 * i + j]
                        )
            else:
                for i in range(3):
                    new_middles[k, i] = ends[k, i]
                for i in range(9):
                    new_axes[k, i] = q[i] if found else axes[k, i]


def followed(
    ends: Floats, middles: Floats, axes: Floats, strength: Floats, length: float, *, resized: bool, own: bool
) -> tuple[Floats, Floats, Floats]:
    """Where pieces go when an effect has moved their arms: new middles (k, 3), axes (k, 9) and sizes (k, 3), float32.

    ends: float32 (4 k, 3), laid out as `arms` does; resized: sizes follow the arms' lengths, else they stay one;
    own: the arms stood in each piece's own space. Pieces of strength 0 keep every bit.
    """
    made = np.empty_like(middles), np.empty_like(axes), np.empty_like(middles)
    _followed(
        read_only(ends), read_only(axes), read_only(strength), np.float32(1.0 / length), resized, own,
        read_only(middles), *made,
    )  # fmt: skip
    return made


@kernel
def _linear(axes, new_axes, sizes, points_by, normals_by):
    for k in range(axes.shape[0]):
        for i in range(3):
            for j in range(3):
                point, normal = _ZERO, _ZERO
                for a in range(3):
                    turned = new_axes[k, 3 * i + a] * axes[k, 3 * j + a]
                    point += turned * sizes[k, a]
                    normal += turned / max(sizes[k, a], _TINY)
                points_by[k, 3 * i + j] = point
                normals_by[k, 3 * i + j] = normal


def linear_parts(axes: Floats, new_axes: Floats, sizes: Floats) -> tuple[Floats, Floats]:
    """What carries offsets and normals from old axes to new ones of other sizes, two float32 (k, 9)."""
    made = np.empty_like(axes), np.empty_like(axes)
    _linear(read_only(axes), read_only(new_axes), read_only(sizes), *made)
    return made


@parallel_kernel
def _carried(points, normals, of, middles, new_middles, points_by, normals_by, strength, out, out_normals):
    n = of.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            k = np.uint64(of[i])
            if strength[k] == _ZERO:
                for a in range(3):
                    out[3 * i + a] = points[3 * i + a]
                    out_normals[3 * i + a] = normals[3 * i + a]
                continue
            x = points[3 * i] - middles[k, 0]
            y = points[3 * i + 1] - middles[k, 1]
            z = points[3 * i + 2] - middles[k, 2]
            u, v, w = normals[3 * i], normals[3 * i + 1], normals[3 * i + 2]
            p, q, r = _ZERO, _ZERO, _ZERO
            m = points_by[k]
            out[3 * i] = new_middles[k, 0] + m[0] * x + m[1] * y + m[2] * z
            out[3 * i + 1] = new_middles[k, 1] + m[3] * x + m[4] * y + m[5] * z
            out[3 * i + 2] = new_middles[k, 2] + m[6] * x + m[7] * y + m[8] * z
            m = normals_by[k]
            p = m[0] * u + m[1] * v + m[2] * w
            q = m[3] * u + m[4] * v + m[5] * w
            r = m[6] * u + m[7] * v + m[8] * w
            over = _ONE / max(np.sqrt(p * p + q * q + r * r), _TINY)
            out_normals[3 * i] = p * over
            out_normals[3 * i + 1] = q * over
            out_normals[3 * i + 2] = r * over


def carried_points(
    points: Floats,
    normals: Floats,
    of: Indices,
    middles: Floats,
    new_middles: Floats,
    parts: tuple[Floats, Floats],
    strength: Floats,
) -> tuple[Floats, Floats]:
    """Points and unit normals taken along by their pieces, two float32 (n, 3).

    of: int32 (n,), the piece of each point; parts: as `linear_parts` gives them. Pieces of strength 0 keep every bit.
    """
    out, out_normals = np.empty_like(points), np.empty_like(points)
    _carried(
        read_only(points).reshape(-1), read_only(normals).reshape(-1), read_only(of), read_only(middles),
        read_only(new_middles), *map(read_only, parts), read_only(strength), out.reshape(-1), out_normals.reshape(-1),
    )  # fmt: skip
    return out, out_normals


@parallel_kernel
def _shifted(points, of, middles, new_middles, strength, out):
    n = of.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            k = np.uint64(of[i])
            still = strength[k] == _ZERO
            for a in range(3):
                step = new_middles[k, a] - middles[k, a]
                out[3 * i + a] = points[3 * i + a] if still else points[3 * i + a] + step


def shifted_points(points: Floats, of: Indices, middles: Floats, new_middles: Floats, strength: Floats) -> Floats:
    """Points moved as far as the middles of their pieces, float32 (n, 3). of: int32 (n,), the piece of each point."""
    out = np.empty_like(points)
    _shifted(
        read_only(points).reshape(-1), read_only(of), read_only(middles), read_only(new_middles), read_only(strength),
        out.reshape(-1),
    )  # fmt: skip
    return out


@parallel_kernel
def _by_faces(points, starts, members, middles, new_middles, points_by, strength, out):
    n = starts.shape[0] - 1
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            a, b, c = _ZERO, _ZERO, _ZERO
            moved = 0
            for s in range(starts[i], starts[i + 1]):
                f = np.uint64(members[s])
                if strength[f] == _ZERO:
                    continue
                moved += 1
                x = points[i, 0] - middles[f, 0]
                y = points[i, 1] - middles[f, 1]
                z = points[i, 2] - middles[f, 2]
                m = points_by[f]
                a += new_middles[f, 0] + m[0] * x + m[1] * y + m[2] * z - points[i, 0]
                b += new_middles[f, 1] + m[3] * x + m[4] * y + m[5] * z - points[i, 1]
                c += new_middles[f, 2] + m[6] * x + m[7] * y + m[8] * z - points[i, 2]
            over = _ONE / np.float32(max(starts[i + 1] - starts[i], 1))
            out[i, 0] = points[i, 0] + a * over if moved else points[i, 0]
            out[i, 1] = points[i, 1] + b * over if moved else points[i, 1]
            out[i, 2] = points[i, 2] + c * over if moved else points[i, 2]


def points_by_faces(
    points: Floats,
    around: tuple[Indices, Indices],
    middles: Floats,
    new_middles: Floats,
    points_by: Floats,
    strength: Floats,
) -> Floats:
    """Points moved by the mean of what the faces around each do, float32 (n, 3). around: as `Topology.faces_around`."""
    out = np.empty_like(points)
    _by_faces(
        read_only(points), *map(read_only, around), read_only(middles), read_only(new_middles), read_only(points_by),
        read_only(strength), out,
    )  # fmt: skip
    return out


@parallel_kernel
def _expanded(local, form_starts, starts, form, positions, linear, out):
    n = form.shape[0]
    for k in prange(n):
        first = form_starts[form[k]]
        count = form_starts[form[k] + 1] - first
        for i in range(count):
            x, y, z = local[first + i, 0], local[first + i, 1], local[first + i, 2]
            at = starts[k] + i
            out[at, 0] = positions[k, 0] + linear[k, 0] * x + linear[k, 1] * y + linear[k, 2] * z
            out[at, 1] = positions[k, 1] + linear[k, 3] * x + linear[k, 4] * y + linear[k, 5] * z
            out[at, 2] = positions[k, 2] + linear[k, 6] * x + linear[k, 7] * y + linear[k, 8] * z


def expanded(
    local: Floats,
    form_starts: Indices,
    starts: NDArray[np.int64],
    form: Indices,
    positions: Floats,
    linear: Floats,
    total: int,
) -> Floats:
    """The points of forms brought to where each copy stands, float32 (total, 3).

    local: float32 (m, 3), all forms' points; form_starts: int32 (forms + 1,); starts: int64 (k,), each copy's first point;
    form: int32 (k,); positions: float32 (k, 3); linear: float32 (k, 9).
    """
    out = np.empty((total, 3), np.float32)
    _expanded(
        read_only(local), read_only(form_starts), read_only(starts), read_only(form), read_only(positions),
        read_only(linear), out,
    )  # fmt: skip
    return out
