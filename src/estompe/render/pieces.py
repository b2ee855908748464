"""A colour for each piece, so that neighbours can be told apart."""

import colorsys

import numpy as np

from estompe.geometry import Domain, Geometry
from estompe.geometry.colors import linear_of
from estompe.geometry.random import random_of
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats

_HUES, _LIGHTS = 24, 3
_SEED = 11


def piece_colors(geometry: Geometry) -> Floats:
    """A colour for each copy, float32 (k, 3), or for each point by its piece, float32 (points, 3); the same array each time."""
    known: Floats | None = geometry.__dict__.get("_piece_colors")
    if known is None:
        ids = samples_of(geometry, Domain.PIECE).ids
        chosen = _table()[(random_of(ids, _SEED) * (_HUES * _LIGHTS)).astype(np.int64)]
        known = chosen if geometry.own_domain is Domain.PIECE else chosen[geometry.pieces.of]
        geometry.__dict__["_piece_colors"] = known
    return known


def _table() -> Floats:
    """Dull colours all around the circle, in a few lights, linear."""
    made = [
        colorsys.hls_to_rgb(hue / _HUES, 0.5 + 0.1 * light, 0.28) for hue in range(_HUES) for light in range(_LIGHTS)
    ]
    return linear_of(np.array(made, np.float32))
