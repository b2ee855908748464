"""Taper: along an axis of the shape, between the ends of its bounds."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.effects.axes import Axis, space
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class Taper(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="taper", tag_field="kind"
):
    """Each point goes towards the axis or away from it, not at all at its low end and by the factor at its high end."""

    label: ClassVar[str] = "Taper"
    text: ClassVar[str] = "Makes the shape thinner or wider towards one end."

    factor: Annotated[Number, setting("Factor", "Times as wide at the high end.", unit="times")] = 0.5
    axis: Annotated[Axis, setting("Axis", "The shape's axis it runs along.")] = "y"

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        amount = plain(self.factor)
        if amount == 1.0 or not len(strength):
            return geometry
        into, back = space(at.shape_matrix, self.axis)
        numbers = [amount, *geometry.at_rest.reach("xyz".index(self.axis))]
        return geometry.moved(deform(geometry.points, strength, Way.TAPER, into, back, numbers))
