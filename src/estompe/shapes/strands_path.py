"""Strands along a path."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.kinds.context import Context
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes.copies_path import along_line, world_path
from estompe.shapes.stringing import Spines, StrandsSource


@register
class StrandsAlongPath(StrandsSource, tag="strands-path", kw_only=True):
    """Lines that follow a path control from its first point to its last."""

    label: ClassVar[str] = "Strands along a path"
    text: ClassVar[str] = "Living lines along a path, such as cables or currents."
    words: ClassVar[str] = "cable, rope, wire, spline, curves, cord, current, thread, wires, strand"

    path: Annotated[Identifier, setting("Path", "The path that strands follow.", refers="path")]

    def spines(self, context: Context) -> Spines:
        line = world_path(context.control(self.path))
        total = float(np.linalg.norm(np.diff(line.astype(np.float64), axis=0), axis=1).sum())
        places, _ = along_line(line, np.linspace(0.0, total, self.points))
        return Spines(places[None], np.zeros(1, np.int64), np.array([[0.0, 1.0, 0.0]], np.float32))
