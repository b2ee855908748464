"""Twist: along an axis of the shape, between the ends of its bounds."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.effects.axes import Axis, space
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class Twist(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="twist", tag_field="kind"
):
    """Each point turns about the axis, not at all at its low end and by the angle at its high end."""

    label: ClassVar[str] = "Twist"
    text: ClassVar[str] = "Wrings the shape about one of its axes."

    angle: Annotated[Number, setting("Angle", "Between both ends at full strength.", unit="degrees")] = 90.0
    axis: Annotated[Axis, setting("Axis", "The shape's axis it runs along.")] = "y"

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        amount = plain(self.angle)
        if amount == 0.0 or not len(strength):
            return geometry
        into, back = space(at.shape_matrix, self.axis)
        numbers = [np.radians(amount), *geometry.at_rest.reach("xyz".index(self.axis))]
        return geometry.moved(deform(geometry.points, strength, Way.TWIST, into, back, numbers))
