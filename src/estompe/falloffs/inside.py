"""Inside another shape, as a soft mask that moves with it."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.falloffs.surface import to_surface
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Inside(Source, tag="inside"):
    """1 inside a closed shape and 0 outside, passing over softly across its surface."""

    group: ClassVar[str] = "distance"
    of_others: ClassVar[bool] = True
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Inside a shape"
    text: ClassVar[str] = "1 inside another shape, 0 outside; the shape can be moved and hidden."
    words: ClassVar[str] = (
        "box mask, volume mask, containment, interior, within, mesh mask, clip, clipping, band, enclosed, matte"
    )

    shape: Annotated[Identifier, setting("Shape", "The closed shape that counts as the inside.", refers="shape")]
    softness: Annotated[
        Number,
        setting(
            "Softness",
            "The width of the transition from 1 to 0: more blurs the border.",
            unit="length",
            low=0.0,
            high=1e5,
        ),
    ] = 0.1

    def measure(self, elements: Elements, context: Context) -> Floats:
        soft = np.float32(max(plain(self.softness), 1e-6))
        signed = to_surface(elements.positions, context.shape(self.shape), True, float(soft))
        return np.asarray(np.clip(np.float32(0.5) - signed / soft, 0.0, 1.0), np.float32)
