"""Ridges: folds that run along a profile and die out at both of its ends."""

from math import radians
from typing import Annotated, ClassVar

from estompe.falloffs.order import order_of
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.elements import Elements
from estompe.kernels.displace import displace_along
from estompe.kernels.ridges import grooves
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Ridges(Effect, tag="ridges"):
    """Grooves between a number of ridges around the shape's own Y axis; none at either end of its profile."""

    carries: ClassVar[Carries] = "position"
    label: ClassVar[str] = "Ridges"
    text: ClassVar[str] = "Folds along a turned profile, like an urchin's ribs; they die out at both ends."
    words: ClassVar[str] = "ribs, pleats, grooves, flutes, folds, waves, ripple, corrugate, crimp, urchin"

    count: Annotated[int, whole("Count", "The number of ridges around the shape.", low=1, high=1000)] = 10
    depth: Annotated[
        Number, setting("Depth", "The depth of the grooves at full strength.", unit="length", step=0.005)
    ] = 0.05
    sharpness: Annotated[
        Number,
        setting(
            "Sharpness",
            "The ratio of grooves to ridges: below 1 grooves are narrow, above 1 ridges are.",
            low=0.05,
            high=20.0,
            step=0.01,
        ),
    ] = 1.0
    fade: Annotated[
        Number,
        setting(
            "Fade length",
            "The share of the profile at each end over which ridges fade: more fades more gradually.",
            unit="fraction",
            low=0.0,
            high=0.5,
            step=0.01,
        ),
    ] = 0.25
    twist: Annotated[
        Number, setting("Twist", "The angle by which ridges wind around along the profile.", unit="degrees")
    ] = 0.0

    def is_identity(self) -> bool:
        return plain(self.depth) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        depth = plain(self.depth)
        order = order_of(Elements(geometry), "profile")
        numbers = radians(plain(self.twist)), plain(self.sharpness), plain(self.fade)
        groove = grooves(geometry.rest, order, strength, self.count, *numbers)
        return geometry.moved(displace_along(geometry.points, geometry.normals, groove, -depth))
