"""The velocity of the air where a wind blows."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.noise import gradient_noise
from estompe.kernels.types import Floats
from estompe.kinds.context import Context, Placed

_STEP = 0.02
_EDDIES = 2.0
"""Brings the mean length of the cross product of two slopes to about one."""


def air_of(context: Context, wind: str | None, places: Floats, elements: NDArray[np.integer] | None = None) -> Floats:
    """The velocity that a wind of the scene gives the air at places, scene units a second, float32 (n, 3).

    Parameters
    ----------
    context : Context
        Of a kind with a setting that names the wind.
    wind : str or None
        The wind's id; without one the air is still.
    places : float32 (n, 3)
        World space.
    elements : int (n,), optional
        The element of each place; they are the elements themselves if left out.
    """
    if wind is None:
        return np.zeros_like(places)
    control = context.control(wind)
    velocity = velocity_at(control, places)
    if control.blowing is not None and control.blowing.within is not None:
        strength = context.strength(control.blowing.within)
        velocity *= (strength if elements is None else strength[elements])[:, None]
    return velocity


def velocity_at(wind: Placed, places: Floats) -> Floats:
    """The velocity of the air everywhere, whatever falloff the wind blows within, float32 (n, 3).

    Gusts are noise that travels along the arrow. Eddies have no divergence: they are the cross product of the slopes of two
    noises (DeWolf 2005, "Divergence-free noise").
    """
    blowing, arrow = wind.blowing, wind.matrix[:, 0].astype(np.float64)
    if blowing is None:
        return np.zeros_like(places)
    length = float(np.linalg.norm(arrow))
    along = arrow / max(length, 1e-12)
    there = (places - along * (blowing.pace * blowing.seconds)).astype(np.float32)
    speed = np.full(len(places), blowing.speed * length, np.float32)
    if blowing.gusts:
        speed *= np.float32(1.0) + gradient_noise(there, blowing.size, 2, 0.5, blowing.gusts, blowing.seed)
    velocity = speed[:, None] * along.astype(np.float32)
    if blowing.swirl:
        velocity += np.float32(blowing.swirl * blowing.speed * length) * _eddies(there, blowing.size, blowing.seed)
    return velocity


def _eddies(places: Floats, size: float, seed: int) -> Floats:
    """A field without divergence, about one unit long, float32 (n, 3)."""
    return np.float32(_EDDIES) * np.cross(_slopes(places, size, seed + 3), _slopes(places, size, seed + 5))


def _slopes(places: Floats, size: float, seed: int) -> Floats:
    """The slopes of a noise by central differences, a lump, float32 (n, 3)."""
    slopes = np.empty_like(places)
    for axis in range(3):
        step = np.zeros(3, np.float32)
        step[axis] = _STEP * size
        ahead, behind = (gradient_noise(places + way, size, 1, 0.5, 1.0, seed) for way in (step, -step))
        slopes[:, axis] = (ahead - behind) / np.float32(2.0 * _STEP)
    return slopes
