"""Places, turns and sizes as matrices. Turns are degrees about X, then Y, then Z."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Floats

Triple = tuple[float, float, float]
Matrix = NDArray[np.float64]


def turn_matrix(turn: Triple) -> Matrix:
    """Rotation by degrees about X, then Y, then Z, float64 (3, 3)."""
    if not any(turn):
        return np.eye(3)
    (sx, sy, sz), (cx, cy, cz) = np.sin(np.radians(turn)), np.cos(np.radians(turn))
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    return np.asarray(about_z @ about_y @ about_x, np.float64)


def placement_matrix(place: Triple, turn: Triple, size: Triple) -> Matrix:
    """Own space to world: size, then turn, then place. float64 (3, 4)."""
    out = np.empty((3, 4))
    out[:, :3] = turn_matrix(turn) * np.asarray(size)
    out[:, 3] = place
    return out


def inverse(matrix: Matrix) -> Matrix:
    """World to own space, float64 (3, 4). A size of zero is taken as one millionth, so that nothing divides by zero."""
    linear = matrix[:, :3]
    lengths = np.linalg.norm(linear, axis=0)
    if (lengths < 1e-6).any():
        linear = _with_thickness(linear, lengths)
    out = np.empty((3, 4))
    out[:, :3] = np.linalg.inv(linear)
    out[:, 3] = -out[:, :3] @ matrix[:, 3]
    return out


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


def transformed(points: Floats, matrix: Matrix) -> Floats:
    """Points through a matrix, float32 (n, 3)."""
    out = points @ matrix[:, :3].T.astype(np.float32)
    out += matrix[:, 3].astype(np.float32)
    return out
