"""Colours: linear light inside, display values where people pick them and where screens show them.

All colours of scenes, meshes and pictures are linear light with the primaries and the white of ITU-R BT.709. Display values are
those of sRGB (IEC 61966-2-1), 0..1.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

Color = tuple[float, float, float]
_DIGITS = 6


def linear_of(display: NDArray[Any]) -> NDArray[Any]:
    """Display values as linear light (IEC 61966-2-1); below 0 and above 1 by the same curve, mirrored and extended."""
    size = np.abs(display)
    light = np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    return np.asarray(np.copysign(light, display), display.dtype)


def as_linear(array: NDArray[Any]) -> NDArray[Any]:
    """Colours (n, 3 or 4) in display values as linear light, float32; a fourth column is coverage and stays."""
    values = np.array(array, np.float32)
    values[..., :3] = linear_of(values[..., :3])
    values.setflags(write=False)
    return values


def display_of(linear: NDArray[Any]) -> NDArray[Any]:
    """Linear light as display values (IEC 61966-2-1), without limits."""
    size = np.abs(linear)
    shown = np.where(size <= 0.0031308, size * 12.92, 1.055 * np.maximum(size, 1e-9) ** (1 / 2.4) - 0.055)
    return np.asarray(np.copysign(shown, linear), linear.dtype)


def linear_value(display: float) -> float:
    """One display value as linear light, rounded."""
    return round(float(linear_of(np.array(display, np.float64))), _DIGITS)


def display_value(linear: float) -> float:
    """Linear light as one display value."""
    return float(display_of(np.array(linear, np.float64)))


def linear_color(display: Sequence[float]) -> Color:
    """A colour in display values as linear light."""
    red, green, blue = map(linear_value, display)
    return red, green, blue


def display_color(linear: Sequence[float]) -> Color:
    """A colour in linear light as display values."""
    red, green, blue = (round(display_value(part), _DIGITS) for part in linear)
    return red, green, blue
