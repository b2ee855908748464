"""Colour: the surface is coloured as far as its strength says."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.kinds import Context, Effect, register
from estompe.document.numbers import Triple, plain_triple
from estompe.document.settings import setting
from estompe.geometry import Domain, Geometry
from estompe.kernels.blend import towards
from estompe.kernels.types import Floats


@register
class Color(Effect, tag="color"):
    """Each point's colour goes from what it is, or the shape's own, to the full one."""

    group: ClassVar[str] = "look"
    alters: ClassVar[tuple[str, ...]] = ("attributes",)
    label: ClassVar[str] = "Colour"
    text: ClassVar[str] = "Colours the surface where there is strength."

    full: Annotated[
        Triple, setting("Full", "Red, green and blue at full strength.", unit="fraction", low=0.0, high=1.0, step=0.01)
    ] = (0.45, 0.14, 0.08)

    def reads(self) -> tuple[str, ...]:
        return ("color",)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        before = geometry.attribute(Domain.POINT, "color")
        base = np.array(context.shape_color, np.float32) if before is None else before[:, :3]
        full = np.array(plain_triple(self.full), np.float32)
        return geometry.with_attribute(Domain.POINT, "color", towards(base, full, strength))
