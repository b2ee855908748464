"""Colour: the surface is coloured as far as its strength says."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry import Domain, Geometry
from estompe.geometry.samples import converted, samples_of
from estompe.kernels.blend import towards
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import rgb, setting


@register
class Color(Effect, tag="color"):
    """Each point's colour goes from what it is, or the shape's own, to the full one."""

    group: ClassVar[str] = "look"
    alters: ClassVar[tuple[str, ...]] = ("attributes",)
    recolors: ClassVar[bool | None] = True
    acts: ClassVar[tuple[ActsOn, ...]] = EVERY_ELEMENT
    label: ClassVar[str] = "Colour"
    text: ClassVar[str] = "Colours the surface where there is strength."
    words: ClassVar[str] = (
        "colour, color, material, tint, paint, vertex color, shade, dye, hue, ink, toon, grey, ramp color"
    )

    full: Annotated[
        Triple,
        rgb("Colour", "The colour at full strength: red, green and blue."),
    ] = (0.171, 0.0174, 0.00719)

    side: Annotated[Literal["both", "front", "back"], setting("Side", "Which side of the surface is coloured.")] = (
        "both"
    )

    def reads(self) -> tuple[str, ...]:
        return ("color",)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        domain = context.domain
        if domain is Domain.PIECE and geometry.own_domain is not Domain.PIECE:
            # What is drawn has colours at its points.
            strength, domain = converted(geometry, strength, domain, Domain.POINT), Domain.POINT
        elements = samples_of(geometry, domain)
        own = elements.values("color")
        before = np.array(context.shape_color, np.float32) if own is None else np.ascontiguousarray(own[:, :3])
        full = np.array(plain_triple(self.full), np.float32)
        behind = elements.values("back_color")
        if self.side != "front":
            base = before if behind is None else np.ascontiguousarray(behind)
            if self.side == "back" or behind is not None:
                geometry = geometry.with_attribute(domain, "back_color", towards(base, full, strength))
        elif behind is None:
            whole = np.broadcast_to(before, (len(elements), 3))
            geometry = geometry.with_attribute(domain, "back_color", np.ascontiguousarray(whole))
        if self.side == "back":
            return geometry
        return geometry.with_attribute(domain, "color", towards(before, full, strength))
