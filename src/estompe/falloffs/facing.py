"""How far the surface turns away from the camera."""

from typing import ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.geometry.samples import Samples
from estompe.kernels.angles import degrees_towards
from estompe.kernels.types import Floats


@register
class Facing(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="facing", tag_field="kind"):
    """Degrees between each normal and the way to the camera: 0 where it faces the camera, 90 at the outline."""

    label: ClassVar[str] = "Facing the camera"
    text: ClassVar[str] = "How far the surface turns away from the camera, 0° facing it, 90° at its outline."

    def reads(self) -> tuple[str, ...]:
        return "points", "normals", "camera"

    def unit(self) -> str:
        return "degrees"

    def measure(self, samples: Samples, at: At) -> Floats:
        return degrees_towards(samples.points, samples.normals, at.camera().place.astype(np.float32))
