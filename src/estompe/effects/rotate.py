"""Rotate: points rotate about an axis through a pivot."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.axes import Axis, space
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.deform import Deformation, deform
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Rotate(Effect, tag="rotate"):
    """Each point rotates by the angle times its strength."""

    carries: ClassVar[Carries] = "rotation"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Rotate"
    pivot_setting: ClassVar[str] = "pivot"
    text: ClassVar[str] = "Rotates points about an axis of the shape, by more where the strength is greater."
    words: ClassVar[str] = (
        "turn, spin, orient, flip, tilt, roll, revolve, swing, angle, pivot, aim, look at, mirror, swing"
    )

    angle: Annotated[Number, setting("Angle", "The angle at full strength.", unit="degrees", step=1.0)] = 45.0
    axis: Annotated[Axis, setting("Axis", "The axis of the shape that points rotate about.")] = "y"
    pivot: Annotated[Triple, setting("Pivot", "The centre of the rotation, in local space.", unit="length")] = (
        0.0,
        0.0,
        0.0,
    )

    def is_identity(self) -> bool:
        return plain(self.angle) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        angle = plain(self.angle)
        to_local, to_world = space(context.shape_matrix, self.axis, plain_triple(self.pivot))
        return geometry.moved(
            deform(geometry.points, strength, Deformation.ROTATE, to_local, to_world, [np.radians(angle)])
        )
