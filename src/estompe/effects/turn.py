"""Turn: points turn about an axis through a pivot."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, Triple, plain, plain_triple
from estompe.document.settings import setting
from estompe.effects.axes import Axis, space
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class Turn(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="turn", tag_field="kind"
):
    """Each point turns by the angle times its strength."""

    label: ClassVar[str] = "Turn"
    text: ClassVar[str] = "Turns points about an axis of the shape, the more the stronger."

    angle: Annotated[Number, setting("Angle", "How far at full strength.", unit="degrees", step=1.0)] = 45.0
    axis: Annotated[Axis, setting("Axis", "The shape's axis they turn about.")] = "y"
    pivot: Annotated[Triple, setting("Pivot", "What they turn about, in the shape's own space.", unit="length")] = (
        0.0,
        0.0,
        0.0,
    )

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        angle = plain(self.angle)
        if angle == 0.0 or not len(strength):
            return geometry
        into, back = space(at.shape_matrix, self.axis, plain_triple(self.pivot))
        return geometry.moved(deform(geometry.points, strength, Way.TURN, into, back, [np.radians(angle)]))
