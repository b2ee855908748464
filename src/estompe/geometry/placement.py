"""Places, turns and sizes as matrices. Turns are degrees about X, then Y, then Z."""

from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

Triple = tuple[float, float, float]
Matrix = NDArray[np.float64]


def turn_matrix(turn: Triple) -> Matrix:
    """Rotation by degrees about X, then Y, then Z, float64 (3, 3)."""
    return np.array(_turned(turn))


def placement_matrix(place: Triple, turn: Triple, size: Triple) -> Matrix:
    """Own space to world: size, then turn, then place. float64 (3, 4)."""
    sx, sy, sz = size
    return np.array([(x * sx, y * sy, z * sz, w) for (x, y, z), w in zip(_turned(turn), place, strict=True)])


def _turned(turn: Triple) -> tuple[Triple, Triple, Triple]:
    """The rows of Z·Y·X, multiplied out: plain floats cost a tenth of nine small arrays, and every frame asks."""
    if turn == (0.0, 0.0, 0.0):
        return (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
    a, b, c = map(radians, turn)
    sx, sy, sz, cx, cy, cz = sin(a), sin(b), sin(c), cos(a), cos(b), cos(c)
    return (
        (cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx),
        (sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx),
        (-sy, cy * sx, cy * cx),
    )


def inverse(matrix: Matrix) -> Matrix:
    """World to own space, float64 (3, 4). A size of zero is taken as one millionth, so that nothing divides by zero."""
    (a, b, c, x), (d, e, f, y), (g, h, i, z) = matrix.tolist()
    thinnest = min(a * a + d * d + g * g, b * b + e * e + h * h, c * c + f * f + i * i)
    if thinnest < 1e-12:
        linear = matrix[:, :3]
        thick = _with_thickness(linear, np.linalg.norm(linear, axis=0))
        (a, b, c), (d, e, f), (g, h, i) = thick.tolist()
    # By cofactors: exact enough for three rows, and each falloff asks for one per frame.
    over = 1.0 / (a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g))
    rows = (
        ((e * i - f * h) * over, (c * h - b * i) * over, (b * f - c * e) * over),
        ((f * g - d * i) * over, (a * i - c * g) * over, (c * d - a * f) * over),
        ((d * h - e * g) * over, (b * g - a * h) * over, (a * e - b * d) * over),
    )
    return np.array([(p, q, r, -(p * x + q * y + r * z)) for p, q, r in rows])


def _with_thickness(linear: Matrix, lengths: NDArray[np.float64]) -> Matrix:
    """Columns without length replaced by short ones square to the others."""
    units = np.where(lengths < 1e-6, 0.0, linear / np.where(lengths < 1e-6, 1.0, lengths))
    for column in np.flatnonzero(lengths < 1e-6):
        others = [units[:, other] for other in range(3) if other != column]
        normal = np.cross(others[0], others[1])
        candidates = [normal, *np.eye(3)]
        best = max(candidates, key=lambda axis: _independence(axis, others))
        for other in others:
            best = best - other * (best @ other)
        units[:, column] = best / np.linalg.norm(best)
    return np.asarray(units * np.maximum(lengths, 1e-6), np.float64)


def _independence(axis: NDArray[np.float64], others: list[NDArray[np.float64]]) -> float:
    length = float(np.linalg.norm(axis))
    if length < 1e-9:
        return 0.0
    rest = axis / length
    for other in others:
        rest = rest - other * (rest @ other)
    return float(np.linalg.norm(rest))
