"""Signed distance along an axis of a control."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.distance import Form, distance
from estompe.kernels.types import Floats

_AXES = {"x": Form.AXIS_X, "y": Form.AXIS_Y, "z": Form.AXIS_Z}


@register
class Sweep(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="sweep", tag_field="kind"):
    """How far each point lies in front of a control's plane; negative behind it."""

    label: ClassVar[str] = "Sweep"
    text: ClassVar[str] = "How far each point lies in front of a control, along one of its axes; negative behind it."

    control: Annotated[Identifier, setting("Control", "The control whose plane sweeps.", refers="control")]
    axis: Annotated[Literal["x", "y", "z"], setting("Axis", "The control's axis that points ahead.")] = "y"

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        return distance(samples.points, at.control(self.control).into.astype(np.float32), _AXES[self.axis])
