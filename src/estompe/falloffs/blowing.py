"""The velocity of the air where a wind blows."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.drift import eddies
from estompe.kernels.noise import gradient_noise
from estompe.kernels.types import Floats
from estompe.kinds.context import Context, Placed


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

    Gusts are noise that travels along the arrow. Eddies have no divergence.
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
        velocity += eddies(there, blowing.size, blowing.swirl * blowing.speed * length, blowing.seed + 3)
    return velocity
