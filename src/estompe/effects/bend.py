"""Bend: the shape is laid along an arc."""

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
class Bend(Effect, tag="bend"):
    """The axis between both ends of the bounds becomes an arc of the angle; its length stays."""

    carries: ClassVar[Carries] = "rotation"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Bend"
    text: ClassVar[str] = "Lays the shape along an arc; its low end stays where it is."
    words: ClassVar[str] = (
        "curl, arc, arch, flex, curve, fold, bow, roll up, deform, leaf bend, curl up, unroll, origami"
    )

    angle: Annotated[
        Number,
        setting("Angle", "The angle of the whole arc at full strength: more bends farther.", unit="degrees", step=1.0),
    ] = 90.0
    axis: Annotated[Axis, setting("Axis", "The axis of the shape that is bent.")] = "y"
    towards: Annotated[
        Number, setting("Direction", "The direction of the bend, as an angle about the axis.", unit="degrees", step=1.0)
    ] = 0.0

    def is_identity(self) -> bool:
        return plain(self.angle) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        angle = plain(self.angle)
        to_local, to_world = space(context.shape_matrix, self.axis, about=plain(self.towards))
        numbers = [np.radians(angle), *geometry.at_rest.extent("xyz".index(self.axis))]
        return geometry.moved(deform(geometry.points, strength, Deformation.BEND, to_local, to_world, numbers))
