"""What helps the eye in the view and is in no picture that is written: the grid, and a key light with its shadow."""

import math
from typing import Any

import numpy as np

from estompe.render import Viewpoint
from estompe.render.item import Mode

DIRECTIONS = {
    "Front": (0.0, 0.0, -1.0), "Back": (0.0, 0.0, 1.0), "Right": (-1.0, 0.0, 0.0), "Left": (1.0, 0.0, 0.0),
    "Top": (0.0, -1.0, 0.0), "Bottom": (0.0, 1.0, 0.0),
}  # fmt: skip
"""The sides from which the scene can be seen, and the direction in which one looks then."""
_LEAST_CELL, _STRAIGHT = 14.0, 0.99999


class Aids:
    """Which aids are on. light: the azimuth of the key light, degrees."""

    def __init__(self) -> None:
        self.grid = self.shadow = True
        self.light = -38.0

    def turn_light(self, degrees: float) -> None:
        """Turn the key light around the scene."""
        self.light, self.shadow = (self.light + degrees + 180.0) % 360.0 - 180.0, True

    def of_look(self, viewpoint: Viewpoint, height: float, mode: Mode, free: bool) -> dict[str, Any]:
        """Find the aids of a picture.

        Parameters
        ----------
        viewpoint : Viewpoint
            Where it is taken from.
        height : float
            The picture's height, pixels of the pointer.
        mode : str
            How shapes are drawn; the shadow belongs to "shaded".
        free : bool
            Whether it is not taken through the scene's camera, which shows no grid.

        Returns
        -------
        dict
            Fields of `Look`.
        """
        aids: dict[str, Any] = {}
        if self.grid and free:
            across, straight = faced_axis(viewpoint)
            aids = {
                "grid": grid_spacing(viewpoint, height),
                "grid_axis": across if straight and viewpoint.parallel else 1,
                "grid_centre": viewpoint.target,
            }
        if self.shadow and mode == "shaded":
            aids |= {"light": self.light, "shadow": True}
        return aids


def grid_spacing(viewpoint: Viewpoint, height: float) -> float:
    """Between lines of the grid, scene units: a power of ten that is at least some pixels wide where one looks."""
    unit = viewpoint.units_per_pixel(np.asarray(viewpoint.target), height)
    return float(10.0 ** math.ceil(math.log10(max(unit * _LEAST_CELL, 1e-9))))


def faced_axis(viewpoint: Viewpoint) -> tuple[int, bool]:
    """The axis of the world that a view looks along most, and whether it looks straight along it."""
    back = np.abs(viewpoint.axes()[2])
    return int(np.argmax(back)), bool(back.max() > _STRAIGHT)


def view_name(viewpoint: Viewpoint) -> str:
    """What a free view is called: by the side that it shows, if it looks straight at one with parallel rays."""
    ahead = -viewpoint.axes()[2]
    for words, direction in DIRECTIONS.items():
        if viewpoint.parallel and float(ahead @ np.asarray(direction)) > _STRAIGHT:
            return words
    return "Parallel view" if viewpoint.parallel else "Free view"
