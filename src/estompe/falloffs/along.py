"""How far along a path the nearest point on it lies."""

from typing import Annotated, ClassVar

from estompe.document.scene import Identifier
from estompe.falloffs.distance import path_of
from estompe.geometry.elements import Elements
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Along(Source, tag="along"):
    """The fraction 0..1 of a path's length at the nearest point on it."""

    group: ClassVar[str] = "distance"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Along a path"
    text: ClassVar[str] = "How far along a path each point's nearest place on it lies, 0 at its start and 1 at its end."
    words: ClassVar[str] = (
        "path position, arc length, curve parameter, spline, progress, gradient along curve, u, sweep along path"
    )

    control: Annotated[
        Identifier, setting("Path", "A control of the form path along which positions are measured.", refers="path")
    ]

    def measure(self, elements: Elements, context: Context) -> Floats:
        control = context.control(self.control)
        own = transformed(elements.positions, control.to_local)
        return nearest_on_polyline(own, path_of(control))[1]
