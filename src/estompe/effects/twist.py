"""Twist: along an axis of the shape, between the ends of its bounds."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.axes import Axis, space
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.deform import Deformation, deform
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Twist(Effect, tag="twist"):
    """Each point turns about the axis, not at all at its low end and by the angle at its high end."""

    carries: ClassVar[Carries] = "rotation"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Twist"
    text: ClassVar[str] = "Wrings the shape about one of its axes."
    words: ClassVar[str] = (
        "wring, screw, spiral, corkscrew, turn, coil, swirl, helix, torsion, rotate along axis, vortex, whirl, drill"
    )

    angle: Annotated[Number, setting("Angle", "The angle between both ends at full strength.", unit="degrees")] = 90.0
    axis: Annotated[Axis, setting("Axis", "The axis of the shape along which it acts.")] = "y"

    def is_identity(self) -> bool:
        return plain(self.angle) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        amount = plain(self.angle)
        to_local, to_world = space(context.shape_matrix, self.axis)
        numbers = [np.radians(amount), *geometry.at_rest.extent("xyz".index(self.axis))]
        return geometry.moved(deform(geometry.points, strength, Deformation.TWIST, to_local, to_world, numbers))
