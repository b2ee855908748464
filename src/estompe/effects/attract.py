"""Attract: points are drawn to a control."""

from typing import Annotated, ClassVar

from estompe.document.scene import Identifier
from estompe.effects.axes import translated_to
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
class Attract(Effect, tag="attract"):
    """Each point goes towards the control, weaker with distance, never past it."""

    carries: ClassVar[Carries] = "position"
    label: ClassVar[str] = "Attract"
    text: ClassVar[str] = "Draws points to a control, alike from inside and outside, and never past it."
    words: ClassVar[str] = (
        "magnet, pull, gravity, suck, draw towards, shrink towards, gather, force, converge, black hole, "
        "pinch, implode, swallow, vacuum"
    )

    control: Annotated[Identifier, setting("Control", "The control that attracts points.", refers="control")]
    intensity: Annotated[
        Number,
        setting("Intensity", "How far a point at the radius is drawn: more draws farther.", unit="length", step=0.005),
    ] = 0.2
    exponent: Annotated[
        Number,
        setting(
            "Exponent",
            "How fast the pull weakens with distance: more keeps it near the control, 0 makes it even.",
            low=0.0,
            high=10.0,
            step=0.01,
        ),
    ] = 1.0
    radius: Annotated[
        Number,
        setting(
            "Radius",
            "The distance at which the pull equals the intensity: more reaches farther.",
            unit="length",
            low=1e-4,
            high=1e6,
        ),
    ] = 0.5

    def is_identity(self) -> bool:
        return plain(self.intensity) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        intensity = plain(self.intensity)
        to_local, to_world = translated_to(context.control(self.control).matrix)
        numbers = [intensity, plain(self.exponent), plain(self.radius)]
        return geometry.moved(deform(geometry.points, strength, Deformation.ATTRACT, to_local, to_world, numbers))
