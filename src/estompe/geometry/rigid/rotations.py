"""Unit quaternions w x y z, float64 (n, 4), and rotation matrices, float64 (n, 3, 3)."""

import numpy as np
from numpy.typing import NDArray

Reals = NDArray[np.float64]


def product(first: Reals, second: Reals) -> Reals:
    """The rotation that turns by the second quaternion, then by the first."""
    aw, ax, ay, az = first.T
    bw, bx, by, bz = second.T
    parts = (
        aw * bw - ax * bx - ay * by - az * bz, aw * bx + ax * bw + ay * bz - az * by,
        aw * by - ax * bz + ay * bw + az * bx, aw * bz + ax * by - ay * bx + az * bw,
    )  # fmt: skip
    return np.stack(parts, axis=1)


def inverse(rotation: Reals) -> Reals:
    """The rotations backwards."""
    return np.asarray(rotation * np.array([1.0, -1.0, -1.0, -1.0]))


def turned(rotation: Reals, vectors: Reals) -> Reals:
    """Vectors, float64 (n, 3), each turned by its quaternion."""
    return np.asarray(np.einsum("nij,nj->ni", matrices(rotation), vectors))


def matrices(rotation: Reals) -> Reals:
    """Quaternions as matrices."""
    a, b, c, d = rotation.T
    rows = (
        1.0 - 2.0 * (c * c + d * d), 2.0 * (b * c - a * d), 2.0 * (b * d + a * c),
        2.0 * (b * c + a * d), 1.0 - 2.0 * (b * b + d * d), 2.0 * (c * d - a * b),
        2.0 * (b * d - a * c), 2.0 * (c * d + a * b), 1.0 - 2.0 * (b * b + c * c),
    )  # fmt: skip
    return np.stack(rows, axis=1).reshape(-1, 3, 3)


def quaternions(matrix: Reals) -> Reals:
    """Rotation matrices as quaternions, by the largest of their four parts (Shepperd 1978, doi:10.2514/3.55767b)."""
    m = matrix.reshape(-1, 9).T
    trace = m[0] + m[4] + m[8]
    squares = np.stack([1.0 + trace, 1.0 + 2.0 * m[0] - trace, 1.0 + 2.0 * m[4] - trace, 1.0 + 2.0 * m[8] - trace])
    columns = np.stack(
        [
            np.stack([squares[0], m[7] - m[5], m[2] - m[6], m[3] - m[1]]),
            np.stack([m[7] - m[5], squares[1], m[3] + m[1], m[2] + m[6]]),
            np.stack([m[2] - m[6], m[3] + m[1], squares[2], m[7] + m[5]]),
            np.stack([m[3] - m[1], m[2] + m[6], m[7] + m[5], squares[3]]),
        ]
    )
    largest = squares.argmax(axis=0)
    chosen = columns[largest, :, np.arange(columns.shape[2])]
    return np.asarray(chosen / np.maximum(np.linalg.norm(chosen, axis=1, keepdims=True), 1e-30))


def between(first: Reals, second: Reals, share: float | Reals) -> Reals:
    """Rotations a share of the way from the first to the second, by the shorter way, at nearly even speed.

    share: one for all, or float64 (n, 1).
    """
    near = np.where(np.einsum("ij,ij->i", first, second)[:, None] < 0.0, -second, second)
    mixed = first + share * (near - first)
    return np.asarray(mixed / np.maximum(np.linalg.norm(mixed, axis=1, keepdims=True), 1e-30))


def spin_between(first: Reals, second: Reals, seconds: float) -> Reals:
    """The angular velocity that leads from the first rotation to the second, radians a second, float64 (n, 3)."""
    way = product(second, inverse(first))
    way = np.where(way[:, :1] < 0.0, -way, way)
    sine = np.linalg.norm(way[:, 1:], axis=1)
    angle = 2.0 * np.arctan2(sine, way[:, 0])
    return np.asarray(way[:, 1:] * (angle / np.maximum(sine, 1e-30) / seconds)[:, None])


def fitted(offsets: Reals, targets: Reals, of: NDArray[np.int32], count: int) -> Reals:
    """The rotations that bring offsets of points nearest to targets, one for each piece, float64 (count, 3, 3).

    Parameters
    ----------
    offsets, targets : float64 (n, 3)
        From the middle of each point's piece.
    of : int32 (n,)
        The piece of each point.
    count : int
        The number of pieces.

    Notes
    -----
    Kabsch 1976, doi:10.1107/S0567739476001873; flat pieces have a rotation, too. A piece of one line is turned as little as
    possible.
    """
    spread = np.empty((count, 3, 3))
    for i in range(3):
        for j in range(3):
            spread[:, i, j] = np.bincount(of, targets[:, i] * offsets[:, j], count)
    left, _, right = np.linalg.svd(spread)
    sign = np.linalg.det(left) * np.linalg.det(right)
    left[:, :, 2] *= np.where(sign < 0.0, -1.0, 1.0)[:, None]
    return np.asarray(left @ right)
