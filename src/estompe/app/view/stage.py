"""What the pointer's tools may ask of the view they act in."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

from estompe.app.session import Session
from estompe.app.view.chains import Chain
from estompe.app.view.handles import Handles
from estompe.app.view.shells import Shell
from estompe.render import Viewpoint


class Stage(Protocol):
    """A view, as its tools see it.

    orbits_left: whether dragging on nothing with the left button orbits; box: the corners of the box that is drawn to pick;
    measured: the places between which is measured, None while nothing is; snaps: whether what is dragged goes in steps;
    onto_surface: whether it goes to the surface under the pointer; dropped_at: where that surface is, world space.
    """

    session: Session
    wipe_at: float | None
    box: tuple[QPointF, QPointF] | None
    measured: list[NDArray[np.float64]] | None
    snaps: bool
    onto_surface: bool
    dropped_at: NDArray[np.float64] | None
    orbits_left: bool

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the picture is taken from now."""

    @property
    def extent(self) -> tuple[float, float]:
        """Width and height in the pointer's pixels."""

    def navigate(self, viewpoint: Viewpoint) -> None:
        """Look from elsewhere."""

    def update(self) -> None:
        """Paint again what lies over the picture."""

    def handles(self) -> Handles | None:
        """The handles on what is picked."""

    def shells(self) -> list[Shell]:
        """The shells of the current falloff."""

    def chains(self) -> list[Chain]:
        """The joint chains of the current shape."""

    @property
    def grid_spacing(self) -> float:
        """Between lines of the grid, scene units."""

    def measure_to(self, place: NDArray[np.float64]) -> None:
        """Measure to one place more."""

    def pick_in_box(self, begin: QPointF, end: QPointF) -> None:
        """Pick what has its middle in a box of the picture, besides what is picked."""

    def ask(self, at: QPointF, purpose: str) -> None:
        """Ask the drawing thread what lies under a pixel."""
