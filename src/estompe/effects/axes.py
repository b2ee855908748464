"""The space an effect works in: along an axis of the shape, about a pivot of its own."""

from typing import Literal

import numpy as np

from estompe.geometry.transforms import Matrix, inverse, rotation_matrix

Axis = Literal["x", "y", "z"]
Triple = tuple[float, float, float]


def space(shape: Matrix, axis: Axis, pivot: Triple = (0.0, 0.0, 0.0), about: float = 0.0) -> tuple[Matrix, Matrix]:
    """World to a space whose Y is the shape's axis through a pivot, and back, both float64 (3, 4).

    shape: the shape's own space to world; pivot: in its own space; about: degrees the space is turned about its Y.
    """
    order = np.roll(np.eye(3), "xyz".index(axis) - 1, axis=1)
    own = np.empty((3, 4))
    own[:, :3] = order.T @ rotation_matrix((0.0, about, 0.0))
    own[:, 3] = pivot
    back = _product(shape, own)
    return inverse(back), back


def translated_to(matrix: Matrix) -> tuple[Matrix, Matrix]:
    """World to a space that only stands where another does, and back: no turn, no size."""
    back = np.eye(4)[:3].copy()
    back[:, 3] = matrix[:, 3]
    return inverse(back), back


def upright(matrix: Matrix) -> tuple[Matrix, Matrix]:
    """World to a space with another's place and turn, but sizes of one, and back."""
    lengths = np.maximum(np.linalg.norm(matrix[:, :3], axis=0), 1e-12)
    back = matrix.copy()
    back[:, :3] /= lengths
    return inverse(back), back


def _product(outer: Matrix, inner: Matrix) -> Matrix:
    out = np.empty((3, 4))
    out[:, :3] = outer[:, :3] @ inner[:, :3]
    out[:, 3] = outer[:, :3] @ inner[:, 3] + outer[:, 3]
    return out
