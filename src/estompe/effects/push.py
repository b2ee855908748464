"""Push: points move along their normals."""

from typing import Annotated, ClassVar

from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Push(Effect, tag="push"):
    """Each point moves along its normal by the amount times its strength."""

    carries: ClassVar[Carries] = "position"
    label: ClassVar[str] = "Push"
    text: ClassVar[str] = "Swells the surface along its normals; negative amounts sink it."
    words: ClassVar[str] = (
        "inflate, swell, bulge, normal, peak, along normals, fatten, offset, expand, puff, balloon, extrude, "
        "breathe, pulse, implode, sculpt"
    )

    amount: Annotated[Number, setting("Amount", "How far points move at full strength.", unit="length", step=0.005)] = (
        0.1
    )

    def is_identity(self) -> bool:
        return plain(self.amount) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        amount = plain(self.amount)
        return geometry.moved(displace_along(geometry.points, geometry.normals, strength, amount))
