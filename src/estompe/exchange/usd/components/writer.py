"""The contract of writers of components, and where they register."""

from collections.abc import Callable
from typing import Any

from estompe.document.scene import Scene, Shape
from estompe.evaluation import Frame
from estompe.exchange.potential import potential_of
from estompe.geometry import Geometry
from estompe.registered import Registry


class ComponentWriter:
    """Writes one shape as a prim, frame by frame."""

    def __init__(self, stage: Any, name: str, path: str) -> None:
        """Define the prim at a path of an open stage, to be displayed by a name."""

    def add(self, frame: Frame, shape: Shape) -> None:
        """Write a shape on a frame."""
        self.add_as(frame, shape, frame[shape.id], frame.number)

    def add_as(self, frame: Frame, shape: Shape, geometry: Geometry, number: float) -> None:
        """Write a shape's geometry as it was transformed for the file, at a time code."""
        raise NotImplementedError

    def finish(self) -> None:
        """Write what waited for the frame after it."""


_WRITERS: Registry[type[ComponentWriter]] = Registry("estompe.exchange.usd.components", "estompe.writers")


def writes(component: str) -> Callable[[type[ComponentWriter]], type[ComponentWriter]]:
    """Register a class as the writer of a component."""
    return _WRITERS.add(component)


def writer_for(shape: Shape, geometry: Geometry) -> type[ComponentWriter]:
    """The writer of a shape on all frames, by what it can be on any of them. geometry: what it is on the first."""
    if potential_of(shape).stays_copies:
        return _WRITERS["copies"]
    return _WRITERS["mesh" if geometry.component == "copies" else geometry.component]


def hidden_forms(scene: Scene) -> set[str]:
    """Shapes that are seen as copies only: they are prototypes there, and no meshes of their own."""
    copied = {name for shape in scene.shapes if shape.source.makes_pieces
              for name in (getattr(shape.source, "form", ""), *getattr(shape.source, "more", ()))}  # fmt: skip
    return {shape.id for shape in scene.shapes if shape.id in copied and not shape.visible}
