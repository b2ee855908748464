"""Attract: points are drawn to a control."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.effects.axes import at_place
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class Attract(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="attract", tag_field="kind"
):
    """Each point goes towards the control, weaker with distance, never past it."""

    label: ClassVar[str] = "Attract"
    text: ClassVar[str] = "Draws points to a control, alike from inside and outside, and never past it."

    control: Annotated[Identifier, setting("Control", "What draws them.", refers="control")]
    intensity: Annotated[
        Number, setting("Intensity", "How far a point at the reach is drawn.", unit="length", step=0.005)
    ] = 0.2
    exponent: Annotated[
        Number, setting("Exponent", "How fast it weakens with distance; 0 not at all.", low=0.0, high=10.0, step=0.01)
    ] = 1.0
    reach: Annotated[
        Number, setting("Reach", "The distance at which the pull is the intensity.", unit="length", low=1e-4, high=1e6)
    ] = 0.5

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        intensity = plain(self.intensity)
        if intensity == 0.0 or not len(strength):
            return geometry
        into, back = at_place(at.control(self.control).matrix)
        numbers = [intensity, plain(self.exponent), plain(self.reach)]
        return geometry.moved(deform(geometry.points, strength, Way.ATTRACT, into, back, numbers))
