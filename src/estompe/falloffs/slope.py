"""The angle between the surface's normal and a direction, blurred over neighbours."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, Source, register
from estompe.document.numbers import Triple, plain_triple
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.angles import degrees_of
from estompe.kernels.smooth import blurred
from estompe.kernels.types import Floats


@register
class Slope(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="slope", tag_field="kind"):
    """Degrees between each normal and a direction: 0 where the surface faces it, 180 where it faces away."""

    label: ClassVar[str] = "Slope"
    text: ClassVar[str] = "The angle between the surface and a direction, such as what faces up."

    direction: Annotated[Triple, setting("Direction", "What the normals are held against, X Y Z.", step=0.01)] = (
        0.0,
        1.0,
        0.0,
    )
    rings: Annotated[
        int, setting("Blur", "Over how many rings of neighbours.", low=0, high=200), Meta(ge=0, le=200)
    ] = 0

    def reads(self) -> tuple[str, ...]:
        return "normals", "topology"

    def unit(self) -> str:
        return "degrees"

    def measure(self, samples: Samples, at: At) -> Floats:
        del at
        direction = np.array(plain_triple(self.direction))
        length = float(np.linalg.norm(direction))
        cosine = samples.normals @ (direction / max(length, 1e-12)).astype(np.float32)
        if self.rings:
            cosine = blurred(cosine, *samples.geometry.topology.neighbours, self.rings)
        return degrees_of(cosine)
