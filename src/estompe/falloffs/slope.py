"""The angle between the surface's normal and a direction, blurred over neighbours."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.angles import degrees_of
from estompe.kernels.smooth import blurred
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Slope(Source, tag="slope"):
    """Degrees between each normal and a direction: 0 where the surface faces it, 180 where it faces away."""

    group: ClassVar[str] = "surface"
    label: ClassVar[str] = "Slope"
    text: ClassVar[str] = "The angle between the surface and a direction, such as what faces up."
    words: ClassVar[str] = (
        "angle, steepness, facing up, normal direction, up, top, inclination, snow cover, gradient, orientation"
    )

    direction: Annotated[
        Triple, setting("Direction", "The direction that normals are compared with, X Y Z.", step=0.01)
    ] = (
        0.0,
        1.0,
        0.0,
    )
    blur: Annotated[
        int,
        whole(
            "Blur", "The number of neighbour rings that are averaged: more gives softer transitions.", low=0, high=200
        ),
    ] = 0

    def reads(self) -> tuple[str, ...]:
        return "normals", "topology"

    def unit(self) -> str:
        return "degrees"

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        direction = np.array(plain_triple(self.direction))
        length = float(np.linalg.norm(direction))
        cosine = elements.normals @ (direction / max(length, 1e-12)).astype(np.float32)
        if self.blur:
            cosine = blurred(cosine, *elements.neighbours, self.blur)
        return degrees_of(cosine)
