"""The way over the surface from where something starts."""

from typing import Annotated, ClassVar, Literal

from estompe.document.scene import Identifier
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class OverSurface(Source, tag="over-surface"):
    """Scene units along the surface at rest from where a falloff is over one half, or from a control's nearest place."""

    group: ClassVar[str] = "surface"
    label: ClassVar[str] = "Geodesic distance"
    text: ClassVar[str] = "How far each element lies from a start, along the surface; a keyed range makes it grow."
    words: ClassVar[str] = (
        "geodesic, along surface, surface distance, crawl, walk, growth front, flood,"
        " spread distance, path on mesh, infect"
    )

    start: Annotated[
        Literal["falloff", "control"],
        setting(
            "Start", "Where distances begin: where a falloff is over one half, or at the place nearest to a control."
        ),
    ] = "control"
    falloff: Annotated[
        Identifier | None,
        setting(
            "Start falloff", "The falloff that marks where distances begin.", refers="falloff",
            when=("start", ("falloff",)),
        ),
    ] = None  # fmt: skip
    control: Annotated[
        Identifier | None,
        setting(
            "Start control",
            "The control nearest to which distances begin.",
            refers="control",
            when=("start", ("control",)),
        ),
    ] = None
    speed: Annotated[
        Identifier | None,
        setting(
            "Speed falloff",
            "A falloff that slows the way down where it is weak: at 0 no way leads through.",
            refers="falloff",
        ),
    ] = None

    def reads(self) -> tuple[str, ...]:
        places = ("points",) if self.start == "control" else ()
        return *places, "rest", "topology", "matrix"

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        linear = context.shape_matrix[:, :3]
        speed = context.strength(self.speed) if self.speed is not None else None
        if self.start == "control":
            if self.control is None:
                raise CannotEvaluateError("no control is chosen yet: choose where it starts")
            return elements.way_from_place(linear, context.control(self.control).matrix[:, 3], speed)
        if self.falloff is None:
            raise CannotEvaluateError("no falloff is chosen yet: choose where it starts, such as a painted one")
        strength = context.strength(self.falloff)
        if len(strength) and float(strength.max()) <= 0.5:
            raise CannotEvaluateError(
                "its start is nowhere: no strength of that falloff is over one half on this frame"
            )
        return elements.way_from_strength(linear, strength, speed)
