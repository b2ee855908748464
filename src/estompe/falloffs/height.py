"""Position along an axis of the shape's bounds."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.document.settings import setting
from estompe.geometry.rest import reach
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Height(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="height", tag_field="kind"):
    """0 at the low end of the shape's bounds along an axis, 1 at the high end."""

    label: ClassVar[str] = "Height"
    text: ClassVar[str] = "How far up the shape each point is, 0 at the bottom of its bounds and 1 at the top."

    axis: Annotated[Literal["x", "y", "z"], setting("Axis", "Which way is up.")] = "y"
    places: Annotated[
        Literal["at rest", "now"],
        setting("Places", "At rest: before effects, in the shape's own axes. Now: as it stands."),
    ] = "at rest"

    def reads(self) -> tuple[str, ...]:
        return ("rest",) if self.places == "at rest" else ("points",)

    def measure(self, samples: Samples, at: At) -> Floats:
        del at
        axis = "xyz".index(self.axis)
        if self.places == "at rest":
            return _share(samples.rest, axis, samples.at_rest.reach(axis))
        return _share(samples.points, axis, reach(samples.points, axis))


def _share(points: Floats, axis: int, ends: tuple[float, float]) -> Floats:
    """How far from the low to the high end each point is, float32 (n,); 0 where both are one."""
    low, high = np.float32(ends[0]), np.float32(ends[1])
    if high <= low:
        return np.zeros(len(points), np.float32)
    return np.asarray((points[:, axis] - low) * (np.float32(1.0) / (high - low)), np.float32)
