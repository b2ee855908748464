"""Push away: points leave a control, in a plane."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.effects.axes import upright
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class PushAway(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="push-away", tag_field="kind"
):
    """Each point goes straight away from the control's Y axis, equally far whatever its distance."""

    label: ClassVar[str] = "Push away"
    text: ClassVar[str] = "Parts things around a control, in the plane across its Y axis."

    control: Annotated[Identifier, setting("Control", "What pushes them away.", refers="control")]
    amount: Annotated[Number, setting("Amount", "How far at full strength.", unit="length", step=0.005)] = 0.2

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        amount = plain(self.amount)
        if amount == 0.0 or not len(strength):
            return geometry
        into, back = upright(at.control(self.control).matrix)
        return geometry.moved(deform(geometry.points, strength, Way.AWAY, into, back, [amount]))
