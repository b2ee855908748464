"""Distance to the camera."""

from typing import ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.geometry.samples import Samples
from estompe.kernels.distance import Form, distance
from estompe.kernels.types import Floats


@register
class CameraDistance(
    Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="camera-distance", tag_field="kind"
):
    """How far each point lies from the camera, scene units."""

    label: ClassVar[str] = "Distance to the camera"
    text: ClassVar[str] = "How far each point lies from the camera."

    def reads(self) -> tuple[str, ...]:
        return "points", "camera"

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        matrix = np.eye(4, dtype=np.float32)[:3]
        matrix[:, 3] = -at.camera().place
        return distance(samples.points, matrix, Form.BALL)
