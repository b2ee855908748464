"""Resolved transforms and cameras as matrices."""

from functools import lru_cache

import numpy as np

from estompe.document.scene import Camera, Followed, Transform
from estompe.geometry import frozen
from estompe.geometry.transforms import Matrix, transform_matrix
from estompe.kinds.context import Eye
from estompe.kinds.numbers import plain, plain_triple


@lru_cache(maxsize=4096)
def matrix_of(transform: Transform) -> Matrix:
    """Local space to world of a transform whose numbers are resolved, float64 (3, 4), read-only."""
    triples = plain_triple(transform.position), plain_triple(transform.rotation), plain_triple(transform.scale)
    own = transform_matrix(*triples)
    base = base_of(transform)
    return frozen(own if base is None else composed(base, own))


def base_of(transform: Transform) -> Matrix | None:
    """What a resolved transform stands in, float64 (3, 4); None for the world."""
    followed = transform.follows
    return np.array(followed.rows).reshape(3, 4) if isinstance(followed, Followed) else None


def composed(outer: Matrix, inner: Matrix) -> Matrix:
    """Two matrices after each other, float64 (3, 4) each."""
    made = outer[:, :3] @ inner
    made[:, 3] += outer[:, 3]
    return made


@lru_cache(maxsize=256)
def eye_of(camera: Camera) -> Eye:
    """Where a resolved camera stands and what it sees."""
    followed = camera.follows
    if not isinstance(followed, Followed):
        position, target = np.array(plain_triple(camera.position)), np.array(plain_triple(camera.target))
        return Eye(position, target, plain(camera.view_angle))
    rows = np.array(followed.rows).reshape(3, 4)
    across, up, back = (axis / max(1e-12, float(np.linalg.norm(axis))) for axis in rows[:, :3].T)
    del across
    # The target only says which way it looks; its distance is that of the camera's own numbers.
    away = np.subtract(plain_triple(camera.position), plain_triple(camera.target))
    distance = max(1e-3, float(np.linalg.norm(away)))
    return Eye(
        rows[:, 3],
        rows[:, 3] - back * distance,
        followed.view_angle,
        up,
        followed.aspect,
        followed.offset,
        followed.clipping,
        followed.parallel,
    )


def rotation_in(matrix: Matrix) -> Matrix:
    """The axes of a matrix without their lengths, float64 (3, 3)."""
    linear = matrix[:, :3]
    made: Matrix = linear / np.maximum(np.linalg.norm(linear, axis=0), 1e-12)
    return made
