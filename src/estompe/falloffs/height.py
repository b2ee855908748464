"""Position along an axis of the shape's bounds."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry.elements import Elements
from estompe.geometry.rest import extent
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Height(Source, tag="height"):
    """0 at the low end of the shape's bounds along an axis, 1 at the high end."""

    group: ClassVar[str] = "surface"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Height"
    text: ClassVar[str] = "How far up the shape each point is, 0 at the bottom of its bounds and 1 at the top."
    words: ClassVar[str] = (
        "vertical, gradient, linear gradient, y position, bottom to top, altitude, up, elevation,"
        " bounding box, ramp along axis"
    )

    axis: Annotated[Literal["x", "y", "z"], setting("Axis", "The axis that counts as up.")] = "y"
    measured: Annotated[
        Literal["at rest", "now"],
        setting(
            "Measured",
            "Whether heights are measured at rest, before effects and in local axes, or as the shape is now.",
        ),
    ] = "at rest"

    def reads(self) -> tuple[str, ...]:
        return ("rest",) if self.measured == "at rest" else ("points",)

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        axis = "xyz".index(self.axis)
        if self.measured == "at rest":
            return _fraction(elements.rest, axis, elements.rest_extent(axis))
        return _fraction(elements.positions, axis, extent(elements.positions, axis))


def _fraction(points: Floats, axis: int, ends: tuple[float, float]) -> Floats:
    """How far from the low to the high end each point is, float32 (n,); 0 where both are one."""
    low, high = np.float32(ends[0]), np.float32(ends[1])
    if high <= low:
        return np.zeros(len(points), np.float32)
    return np.asarray((points[:, axis] - low) * (np.float32(1.0) / (high - low)), np.float32)
