"""Push: points move along their normals."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats


@register
class Push(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="push", tag_field="kind"
):
    """Each point moves along its normal by the amount times its strength."""

    label: ClassVar[str] = "Push"
    text: ClassVar[str] = "Swells the surface along its normals; negative amounts sink it."

    amount: Annotated[Number, setting("Amount", "How far at full strength.", unit="length", step=0.005)] = 0.1

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        del at
        amount = plain(self.amount)
        if amount == 0.0 or not len(strength):
            return geometry
        return geometry.moved(displace_along(geometry.points, geometry.normals, strength, amount))
