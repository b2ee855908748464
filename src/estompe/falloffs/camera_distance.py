"""Distance to the camera."""

from typing import ClassVar

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.distance import Form, distance
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register


@register
class CameraDistance(Source, tag="camera-distance"):
    """How far each point lies from the camera, scene units."""

    group: ClassVar[str] = "scene"
    label: ClassVar[str] = "Distance to the camera"
    text: ClassVar[str] = "How far each point lies from the camera."
    words: ClassVar[str] = (
        "depth, z depth, fog, lens, near far, camera range, proximity to camera, level of detail, view distance"
    )

    def reads(self) -> tuple[str, ...]:
        return "points", "camera"

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        matrix = np.eye(4, dtype=np.float32)[:3]
        matrix[:, 3] = -context.camera().position
        return distance(elements.positions, matrix, Form.SPHERE)
