"""How far along a path the nearest point on it lies."""

from typing import Annotated, ClassVar

from estompe.document.context import Context
from estompe.document.kinds import Source
from estompe.document.registry import register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.falloffs.distance import path_of
from estompe.geometry.elements import Elements
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats


@register
class Along(Source, tag="along"):
    """The fraction 0..1 of a path's length at the nearest point on it."""

    group: ClassVar[str] = "distance"
    label: ClassVar[str] = "Along a path"
    text: ClassVar[str] = "How far along a path each point's nearest place on it lies, 0 at its start and 1 at its end."

    control: Annotated[Identifier, setting("Path", "A control of the form path.", refers="path")]

    def measure(self, elements: Elements, context: Context) -> Floats:
        control = context.control(self.control)
        own = transformed(elements.positions, control.to_local)
        return nearest_on_polyline(own, path_of(control))[1]
