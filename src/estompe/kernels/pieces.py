"""Pieces that move as wholes: their middles, where arms around them went, and the points that go with them."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels import BLOCK
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only

_ZERO, _ONE, _HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)
_TINY = np.float32(1e-20)
_ROUNDS, _CLOSE, _FLAT = 8, np.float32(1e-5), np.float32(1e-6)
_U1, _U2, _U3, _U4, _U5 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4), np.uint64(5)
_U6, _U7, _U8, _U9 = np.uint64(6), np.uint64(7), np.uint64(8), np.uint64(9)


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
def _straightened(q0, q1, q2, q3, q4, q5, q6, q7, q8):
    """The nearest rotation to a matrix, by Newton's rounds: whether there is one, and its nine numbers.

    Higham, "Computing the Polar Decomposition - with Applications" (1986), doi:10.1137/0907079.
    """
    for _ in range(_ROUNDS):
        a, b, c = q4 * q8 - q5 * q7, q5 * q6 - q3 * q8, q3 * q7 - q4 * q6
        determinant = q0 * a + q1 * b + q2 * c
        if abs(determinant) < _FLAT:
            return False, q0, q1, q2, q3, q4, q5, q6, q7, q8
        over = _HALF / determinant
        r0, r1, r2 = _HALF * q0 + over * a, _HALF * q1 + over * b, _HALF * q2 + over * c
        r3 = _HALF * q3 + over * (q2 * q7 - q1 * q8)
        r4 = _HALF * q4 + over * (q0 * q8 - q2 * q6)
        r5 = _HALF * q5 + over * (q1 * q6 - q0 * q7)
        r6 = _HALF * q6 + over * (q1 * q5 - q2 * q4)
        r7 = _HALF * q7 + over * (q2 * q3 - q0 * q5)
        r8 = _HALF * q8 + over * (q0 * q4 - q1 * q3)
        apart = abs(r0 - q0) + abs(r1 - q1) + abs(r2 - q2) + abs(r3 - q3) + abs(r4 - q4)
        apart += abs(r5 - q5) + abs(r6 - q6) + abs(r7 - q7) + abs(r8 - q8)
        q0, q1, q2, q3, q4, q5, q6, q7, q8 = r0, r1, r2, r3, r4, r5, r6, r7, r8
        if apart < _CLOSE:
            break
    return True, q0, q1, q2, q3, q4, q5, q6, q7, q8


@inlined
def _arm(ends, at, middle, over):
    """Where the end of an arm went from its middle, over its length, as a unit vector and a length."""
    x = (ends[at] - ends[middle]) * over
    y = (ends[at + _U1] - ends[middle + _U1]) * over
    z = (ends[at + _U2] - ends[middle + _U2]) * over
    length = np.sqrt(x * x + y * y + z * z)
    by = _ONE / max(length, _TINY)
    return x * by, y * by, z * by, length


@parallel_kernel
def _followed(ends, axes, strength, over, resized, own, middles, new_middles, new_axes, sizes):
    n = strength.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for k in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            # Unsigned and flat, so that no index is asked whether it counts from the end.
            p, r = np.uint64(3) * np.uint64(k), np.uint64(9) * np.uint64(k)
            if strength[k] == _ZERO:
                for i in range(_U3):
                    new_middles[p + i], sizes[p + i] = middles[p + i], _ONE
                for i in range(_U9):
                    new_axes[r + i] = axes[r + i]
                continue
            arm = np.uint64(3 * n)
            x0, x1, x2, first = _arm(ends, p + arm, p, over)
            y0, y1, y2, second = _arm(ends, p + arm + arm, p, over)
            z0, z1, z2, third = _arm(ends, p + arm + arm + arm, p, over)
            sizes[p] = first if resized else _ONE
            sizes[p + _U1] = second if resized else _ONE
            sizes[p + _U2] = third if resized else _ONE
            found, q0, q1, q2, q3, q4, q5, q6, q7, q8 = _straightened(x0, y0, z0, x1, y1, z1, x2, y2, z2)
            if not found and own:
                q0, q1, q2, q3, q4, q5, q6, q7, q8 = _ONE, _ZERO, _ZERO, _ZERO, _ONE, _ZERO, _ZERO, _ZERO, _ONE
            elif not found:
                q0, q1, q2, q3, q4 = axes[r], axes[r + _U1], axes[r + _U2], axes[r + _U3], axes[r + _U4]
                q5, q6, q7, q8 = axes[r + _U5], axes[r + _U6], axes[r + _U7], axes[r + _U8]
            if own:
                # Arms stood in the piece's own space: its axes carry them into the world.
                x, y, z = ends[p], ends[p + _U1], ends[p + _U2]
                for i in range(_U3):
                    a, b, c = axes[r + _U3 * i], axes[r + _U3 * i + _U1], axes[r + _U3 * i + _U2]
                    new_middles[p + i] = middles[p + i] + a * x + b * y + c * z
                    new_axes[r + _U3 * i] = a * q0 + b * q3 + c * q6
                    new_axes[r + _U3 * i + _U1] = a * q1 + b * q4 + c * q7
                    new_axes[r + _U3 * i + _U2] = a * q2 + b * q5 + c * q8
            else:
                for i in range(_U3):
                    new_middles[p + i] = ends[p + i]
                new_axes[r], new_axes[r + _U1], new_axes[r + _U2] = q0, q1, q2
                new_axes[r + _U3], new_axes[r + _U4], new_axes[r + _U5] = q3, q4, q5
                new_axes[r + _U6], new_axes[r + _U7], new_axes[r + _U8] = q6, q7, q8


def followed(
    ends: Floats, middles: Floats, axes: Floats, strength: Floats, length: float, *, resized: bool, own: bool
) -> tuple[Floats, Floats, Floats]:
    """Where pieces go when an effect has moved their arms: new middles (k, 3), axes (k, 9) and sizes (k, 3), float32.

    ends: float32 (4 k, 3), laid out as `arms` does; resized: sizes follow the arms' lengths, else they stay one;
    own: the arms stood in each piece's own space. Pieces of strength 0 keep every bit.
    """
    made = np.empty_like(middles), np.empty_like(axes), np.empty_like(middles)
    flat = (read_only(array).reshape(-1) for array in (ends, axes))
    _followed(
        *flat, read_only(strength), np.float32(1.0 / length), resized, own, read_only(middles).reshape(-1),
        *(array.reshape(-1) for array in made),
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


@inlined
def _carry_run(points, normals, first, last, k, middles, new_middles, by, normals_by, out, out_normals):
    """The points of one piece that stand together: what carries them stays in registers."""
    m, r = np.uint64(3) * np.uint64(k), np.uint64(9) * np.uint64(k)
    x0, y0, z0 = middles[m], middles[m + _U1], middles[m + _U2]
    x1, y1, z1 = new_middles[m], new_middles[m + _U1], new_middles[m + _U2]
    a, b, c = by[r], by[r + _U1], by[r + _U2]
    d, e, f = by[r + _U3], by[r + _U4], by[r + _U5]
    g, h, j = by[r + _U6], by[r + _U7], by[r + _U8]
    na, nb, nc = normals_by[r], normals_by[r + _U1], normals_by[r + _U2]
    nd, ne, nf = normals_by[r + _U3], normals_by[r + _U4], normals_by[r + _U5]
    ng, nh, nj = normals_by[r + _U6], normals_by[r + _U7], normals_by[r + _U8]
    own, own_normals = points[3 * first : 3 * last], normals[3 * first : 3 * last]
    went, turned = out[3 * first : 3 * last], out_normals[3 * first : 3 * last]
    for i in range(last - first):
        x, y, z = own[3 * i] - x0, own[3 * i + 1] - y0, own[3 * i + 2] - z0
        went[3 * i] = x1 + a * x + b * y + c * z
        went[3 * i + 1] = y1 + d * x + e * y + f * z
        went[3 * i + 2] = z1 + g * x + h * y + j * z
    for i in range(last - first):
        u, v, w = own_normals[3 * i], own_normals[3 * i + 1], own_normals[3 * i + 2]
        x, y, z = na * u + nb * v + nc * w, nd * u + ne * v + nf * w, ng * u + nh * v + nj * w
        over = _ONE / max(np.sqrt(x * x + y * y + z * z), _TINY)
        turned[3 * i], turned[3 * i + 1], turned[3 * i + 2] = x * over, y * over, z * over


@parallel_kernel
def _carried(points, normals, of, middles, new_middles, points_by, normals_by, strength, out, out_normals):
    n = of.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        first, end = block * BLOCK, min(n, (block + 1) * BLOCK)
        while first < end:
            k = of[first]
            last = first + 1
            while last < end and of[last] == k:
                last += 1
            if strength[np.uint64(k)] == _ZERO:
                for i in range(3 * first, 3 * last):
                    out[i] = points[i]
                    out_normals[i] = normals[i]
            else:
                _carry_run(
                    points, normals, first, last, k, middles, new_middles, points_by, normals_by, out, out_normals
                )
            first = last


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
    flat = (read_only(array).reshape(-1) for array in (middles, new_middles, *parts))
    _carried(
        read_only(points).reshape(-1), read_only(normals).reshape(-1), read_only(of), *flat, read_only(strength),
        out.reshape(-1), out_normals.reshape(-1),
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
