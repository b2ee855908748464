"""Position, rotation and scale as matrices. Rotations are degrees about X, then Y, then Z."""

from math import asin, atan2, cos, degrees, radians, sin

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Floats

Triple = tuple[float, float, float]
Matrix = NDArray[np.float64]


def rotation_matrix(rotation: Triple) -> Matrix:
    """Rotation by degrees about X, then Y, then Z, float64 (3, 3)."""
    return np.array(_rotated(rotation))


def transform_matrix(position: Triple, rotation: Triple, scale: Triple) -> Matrix:
    """Local space to world: scale, then rotation, then position. float64 (3, 4)."""
    sx, sy, sz = scale
    return np.array([(x * sx, y * sy, z * sz, w) for (x, y, z), w in zip(_rotated(rotation), position, strict=True)])


def _rotated(rotation: Triple) -> tuple[Triple, Triple, Triple]:
    """The rows of Z·Y·X, multiplied out: plain floats cost a tenth of nine small arrays, and every frame asks."""
    if rotation == (0.0, 0.0, 0.0):
        return (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
    a, b, c = map(radians, rotation)
    sx, sy, sz, cx, cy, cz = sin(a), sin(b), sin(c), cos(a), cos(b), cos(c)
    return (
        (cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx),
        (sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx),
        (-sy, cy * sx, cy * cx),
    )


def parts_of(matrix: Matrix) -> tuple[Triple, Triple, Triple]:
    """Split a matrix into position, rotation and scale.

    Parameters
    ----------
    matrix : float64 (3, 4)
        Local space to world. What it shears is left out; a mirrored one has a negative scale along X.

    Returns
    -------
    position, rotation, scale : (float, float, float)
        Scene units, degrees about X, then Y, then Z, and factors: `transform_matrix` of them is the matrix again.
    """
    linear = matrix[:, :3]
    lengths = np.linalg.norm(linear, axis=0)
    if np.linalg.det(linear) < 0:
        lengths[0] = -lengths[0]
    axes = linear / np.where(np.abs(lengths) < 1e-12, 1.0, lengths)
    rise = float(np.clip(-axes[2, 0], -1.0, 1.0))
    upright = abs(rise) > 1.0 - 1e-12
    about_z = 0.0 if upright else atan2(axes[1, 0], axes[0, 0])
    about_x = atan2(-axes[1, 2], axes[1, 1]) if upright else atan2(axes[2, 1], axes[2, 2])
    x, y, z = (float(part) for part in matrix[:, 3])
    a, b, c = (float(part) for part in lengths)
    return (x, y, z), (degrees(about_x), degrees(asin(rise)), degrees(about_z)), (a, b, c)


def inverse(matrix: Matrix) -> Matrix:
    """World to local space, float64 (3, 4). A direction scaled to nothing counts as one millionth, so that it can be undone."""
    (a, b, c, x), (d, e, f, y), (g, h, i, z) = matrix.tolist()
    # By cofactors: exact enough for three rows, and each falloff asks for one per frame.
    p, q, r = e * i - f * h, f * g - d * i, d * h - e * g
    determinant = a * p + b * q + c * r
    lengths = (a * a + d * d + g * g) * (b * b + e * e + h * h) * (c * c + f * f + i * i)
    if determinant * determinant <= _FLAT * lengths or lengths < _FLAT:
        return _inverse_of_flat(matrix)
    over = 1.0 / determinant
    rows = (
        (p * over, (c * h - b * i) * over, (b * f - c * e) * over),
        (q * over, (a * i - c * g) * over, (c * d - a * f) * over),
        (r * over, (b * g - a * h) * over, (a * e - b * d) * over),
    )
    return np.array([(u, v, w, -(u * x + v * y + w * z)) for u, v, w in rows])


# Squared ratio of a volume to that of the box of its edges, below which a matrix is taken as flat.
_FLAT = 1e-24
_THINNEST = 1e-6


def _inverse_of_flat(matrix: Matrix) -> Matrix:
    """The inverse with the least thickness in directions that have none."""
    outer, sizes, inner = np.linalg.svd(matrix[:, :3])
    linear = (inner.T / np.maximum(sizes, _THINNEST)) @ outer.T
    return np.concatenate([linear, -linear @ matrix[:, 3:]], axis=1)


def quaternions(axes: Floats) -> Floats:
    """Rotations as unit quaternions, x y z w, float32 (k, 4). axes: float32 (k, 9), unit columns; mirrored ones are turned over.

    After Shepperd, "Quaternion from Rotation Matrix" (1978), doi:10.2514/3.55767b: the largest of the four is found first.
    """
    m = axes.reshape(-1, 3, 3).astype(np.float64)
    m[np.linalg.det(m) < 0, :, 0] *= -1
    trace = m[:, 0, 0] + m[:, 1, 1] + m[:, 2, 2]
    squares = np.stack([*(1 + 2 * m[:, k, k] - trace for k in range(3)), 1 + trace], axis=1)
    largest = squares.argmax(axis=1)
    rows = np.arange(len(m))
    half = 0.5 / np.sqrt(np.maximum(squares[rows, largest], 1e-30))
    products = np.empty((len(m), 4, 4))
    for i in range(3):
        products[:, i, i] = squares[:, i]
        products[:, i, 3] = products[:, 3, i] = m[:, (i + 2) % 3, (i + 1) % 3] - m[:, (i + 1) % 3, (i + 2) % 3]
        for j in range(i):
            products[:, i, j] = products[:, j, i] = m[:, i, j] + m[:, j, i]
    products[:, 3, 3] = squares[:, 3]
    return np.asarray(products[rows, largest] * half[:, None], np.float32)
