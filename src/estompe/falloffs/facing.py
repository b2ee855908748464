"""How far the surface turns away from the camera."""

from typing import ClassVar

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.angles import degrees_towards
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register


@register
class Facing(Source, tag="facing"):
    """Degrees between each normal and the way to the camera: 0 where it faces the camera, 90 at the outline."""

    group: ClassVar[str] = "surface"
    label: ClassVar[str] = "Facing the camera"
    text: ClassVar[str] = "How far the surface turns away from the camera, 0° facing it, 90° at its outline."
    words: ClassVar[str] = (
        "fresnel, rim, silhouette, view angle, edge on, incidence, glancing angle, camera angle, backface, outline mask"
    )

    def reads(self) -> tuple[str, ...]:
        return "points", "normals", "camera"

    def unit(self) -> str:
        return "degrees"

    def measure(self, elements: Elements, context: Context) -> Floats:
        return degrees_towards(elements.positions, elements.normals, context.camera().position.astype(np.float32))
