"""Attract: points are drawn to a control."""

from typing import Annotated, ClassVar, Literal

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

_BY_LENGTH = ("by", ("length",))


@register
class Attract(Effect, tag="attract"):
    """Each point goes towards the control, a share of the way or a length that weakens with distance, and never past it."""

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
        setting(
            "Intensity",
            "How far a point at the radius is drawn: more draws farther.",
            unit="length",
            step=0.005,
            when=_BY_LENGTH,
        ),
    ] = 0.2
    exponent: Annotated[
        Number,
        setting(
            "Exponent",
            "How fast the pull weakens with distance: more keeps it near the control, 0 makes it even.",
            low=0.0,
            high=10.0,
            step=0.01,
            when=_BY_LENGTH,
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
            when=_BY_LENGTH,
        ),
    ] = 0.5
    by: Annotated[
        Literal["share", "length"],
        setting(
            "Pull by", "Whether points go a share of the way to the control, or a length that weakens with distance."
        ),
    ] = "share"
    share: Annotated[
        Number,
        setting(
            "Share",
            "The share of the way to the control at full strength: at 100 % all points meet there.",
            unit="fraction",
            low=0.0,
            high=1.0,
            when=("by", ("share",)),
        ),
    ] = 0.5

    def is_identity(self) -> bool:
        return plain(self.share if self.by == "share" else self.intensity) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        to_local, to_world = translated_to(context.control(self.control).matrix)
        numbers = [plain(self.intensity), plain(self.exponent), plain(self.radius)]
        if self.by == "share":
            numbers = [plain(self.share), -1.0, 1.0]  # a pull that grows with the distance is a share of it
        return geometry.moved(deform(geometry.points, strength, Deformation.ATTRACT, to_local, to_world, numbers))
