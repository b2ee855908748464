"""A resolved transform as a matrix."""

from functools import lru_cache

from estompe.document.numbers import plain_triple
from estompe.document.scene import Transform
from estompe.geometry import frozen
from estompe.geometry.transforms import Matrix, transform_matrix


@lru_cache(maxsize=4096)
def matrix_of(transform: Transform) -> Matrix:
    """Local space to world of a transform whose numbers are resolved, float64 (3, 4), read-only."""
    triples = plain_triple(transform.position), plain_triple(transform.rotation), plain_triple(transform.scale)
    return frozen(transform_matrix(*triples))
