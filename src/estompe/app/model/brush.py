"""The brush that paints masks on surfaces."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.samples import Samples
from estompe.geometry.transforms import Matrix, inverse
from estompe.kernels.smooth import blurred
from estompe.kernels.types import Floats

Mode = Literal["add", "take away", "blur"]
MODES: tuple[Mode, ...] = ("add", "take away", "blur")


@dataclass(frozen=True)
class Brush:
    """radius: scene units; amount: what one touch adds in its middle, 0..1; mirrored: across the shape's own X as well."""

    mode: Mode = "add"
    radius: float = 0.1
    amount: float = 0.3
    mirrored: bool = False


def touched(
    mask: Floats,
    elements: Samples,
    place: NDArray[np.float64],
    brush: Brush,
    matrix: Matrix,
    positions: Floats | None = None,
) -> Floats:
    """The mask after one touch of the brush at a place on the surface, float32 (elements,), kept in 0..1.

    positions: where the elements are on what is seen, float32 (elements, 3), world space; their own if left out.
    """
    positions = elements.positions if positions is None else positions
    fraction = _fraction(positions, place, brush.radius)
    if brush.mirrored:
        own = inverse(matrix)[:, :3] @ place + inverse(matrix)[:, 3]
        own[0] = -own[0]
        fraction = np.maximum(fraction, _fraction(positions, matrix[:, :3] @ own + matrix[:, 3], brush.radius))
    if brush.mode == "blur":
        soft = blurred(mask, *elements.neighbours, 2)
        made = mask + fraction * (soft - mask)
    else:
        sign = 1.0 if brush.mode == "add" else -1.0
        made = mask + np.float32(sign * brush.amount) * fraction
    return np.clip(made, 0.0, 1.0).astype(np.float32)


def _fraction(points: Floats, place: NDArray[np.float64], radius: float) -> Floats:
    """1 in the middle of the brush, 0 at its edge, smooth between."""
    away = np.linalg.norm(points - place.astype(np.float32), axis=1) / np.float32(max(radius, 1e-9))
    fraction = np.maximum(np.float32(1.0) - away * away, np.float32(0.0))
    return np.asarray(fraction * fraction, np.float32)
