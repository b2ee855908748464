"""Signed distance along an axis of a control."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry.elements import Elements
from estompe.kernels.distance import Form, distance
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Shell, Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

_AXES = {"x": Form.AXIS_X, "y": Form.AXIS_Y, "z": Form.AXIS_Z}


@register
class Sweep(Source, tag="sweep"):
    """How far each point lies in front of a control's plane; negative behind it."""

    group: ClassVar[str] = "distance"
    first_range: ClassVar[tuple[float, float] | None] = (-0.5, 0.5)
    label: ClassVar[str] = "Sweep"
    text: ClassVar[str] = "How far each point lies in front of a control, along one of its axes; negative behind it."
    words: ClassVar[str] = "plane, wipe, linear, front, band, gradient, reveal, scan, clip plane, directional, travel"

    control: Annotated[
        Identifier, setting("Control", "The control whose plane sweeps through the scene.", refers="control")
    ]
    axis: Annotated[Literal["x", "y", "z"], setting("Axis", "The axis of the control that points ahead.")] = "y"

    def shell(self) -> Shell:
        return Shell(self.control, "xyz".index(self.axis))

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        return distance(elements.positions, context.control(self.control).to_local.astype(np.float32), _AXES[self.axis])
