"""What the pointer's tools may ask of the view they act in."""

from typing import Protocol

from PyQt6.QtCore import QPointF

from estompe.app.session import Session
from estompe.app.view.chains import Chain
from estompe.app.view.handles import Handles
from estompe.app.view.shells import Shell
from estompe.render import Viewpoint


class Stage(Protocol):
    """A view, as its tools see it. orbits_left: whether dragging on nothing with the left button orbits."""

    session: Session
    wipe_at: float | None
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

    def ask(self, at: QPointF, purpose: str) -> None:
        """Ask the drawing thread what lies under a pixel."""
