"""Inside another shape, as a soft mask that moves with it."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.document.numbers import Number, plain
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.falloffs.surface import to_surface
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Inside(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="inside", tag_field="kind"):
    """1 inside a closed shape and 0 outside, passing over softly across its surface."""

    label: ClassVar[str] = "Inside a shape"
    text: ClassVar[str] = "1 inside another shape, 0 outside; the shape can be moved and hidden."

    shape: Annotated[Identifier, setting("Shape", "The closed shape that is the mask.", refers="shape")]
    soft: Annotated[
        Number, setting("Soft over", "Over what way the mask passes from 1 to 0.", unit="length", low=0.0, high=1e5)
    ] = 0.1

    def measure(self, samples: Samples, at: At) -> Floats:
        soft = np.float32(max(plain(self.soft), 1e-6))
        signed = to_surface(samples.points, at.shape(self.shape), True, float(soft))
        return np.asarray(np.clip(np.float32(0.5) - signed / soft, 0.0, 1.0), np.float32)
