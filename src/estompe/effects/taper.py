"""Taper: along an axis of the shape, between the ends of its bounds."""

from typing import Annotated, ClassVar

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
class Taper(Effect, tag="taper"):
    """Each point goes towards the axis or away from it, not at all at its low end and by the factor at its high end."""

    carries: ClassVar[Carries] = "rotation"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Taper"
    text: ClassVar[str] = "Makes the shape thinner or wider towards one end."
    words: ClassVar[str] = "narrow, thin out, cone, pinch, sharpen, widen, wedge, scale along axis, point, squash"

    factor: Annotated[
        Number,
        setting(
            "Factor",
            "The width of the high end relative to the low end: above 1 widens, below 1 narrows.",
            unit="times",
        ),
    ] = 0.5
    axis: Annotated[Axis, setting("Axis", "The axis of the shape along which it acts.")] = "y"

    def is_identity(self) -> bool:
        return plain(self.factor) == 1.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        amount = plain(self.factor)
        to_local, to_world = space(context.shape_matrix, self.axis)
        numbers = [amount, *geometry.at_rest.extent("xyz".index(self.axis))]
        return geometry.moved(deform(geometry.points, strength, Deformation.TAPER, to_local, to_world, numbers))
