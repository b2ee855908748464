"""Capsule: a cylinder with round ends."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes import primitives
from estompe.shapes.turning import Along, Around


@register
class Capsule(ShapeSource, tag="capsule"):
    """A closed capsule standing on its origin."""

    label: ClassVar[str] = "Capsule"
    text: ClassVar[str] = "A closed cylinder about Y with round ends."
    words: ClassVar[str] = "pill, rounded cylinder, sausage, bean, lozenge, primitive, solid, round ends, finger"

    radius: Annotated[float, setting("Radius", "The radius from the axis.", unit="length", low=1e-6, high=1e6)] = 0.25
    height: Annotated[
        float,
        setting(
            "Height", "The size along Y, with both ends: at least the diameter.", unit="length", low=1e-6, high=1e6
        ),
    ] = 1.0
    around: Around = 48
    along: Along = 48

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        del arrays
        angle = np.linspace(-np.pi / 2, np.pi / 2, 33)
        lift = np.where(angle < 0, self.radius, max(self.height, 2 * self.radius) - self.radius)
        profile = np.stack([self.radius * np.cos(angle), self.radius * np.sin(angle) + lift], axis=1)
        profile[[0, -1], 0] = 0.0
        # Split at the middle, so that the straight part begins where the lower end ends.
        profile = np.insert(profile, 16, [self.radius, self.radius], axis=0)
        return primitives.turned(profile, 0.0, self.around, self.along)
