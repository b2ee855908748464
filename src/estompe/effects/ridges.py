"""Ridges: folds that run along a profile and die out at both of its ends."""

from math import radians
from typing import Annotated, ClassVar

from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.falloffs.order import order_of
from estompe.geometry import Geometry
from estompe.geometry.samples import Samples
from estompe.kernels.displace import displace_along
from estompe.kernels.ridges import grooves
from estompe.kernels.types import Floats


@register
class Ridges(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="ridges", tag_field="kind"
):
    """Grooves between a number of ridges around the shape's own Y axis; none at either end of its profile."""

    label: ClassVar[str] = "Ridges"
    text: ClassVar[str] = "Folds along a turned profile, like an urchin's ribs; they die out at both ends."

    count: Annotated[int, setting("Ridges", "How many around.", low=1, high=1000), Meta(ge=1, le=1000)] = 10
    depth: Annotated[
        Number, setting("Depth", "How deep the grooves are at full strength.", unit="length", step=0.005)
    ] = 0.05
    sharpness: Annotated[
        Number, setting("Sharpness", "Below 1 narrow grooves, above 1 narrow ridges.", low=0.05, high=20.0, step=0.01)
    ] = 1.0
    dies_out: Annotated[
        Number,
        setting("Dies out over", "The share of the profile at each end.", unit="share", low=0.0, high=0.5, step=0.01),
    ] = 0.25
    twist: Annotated[Number, setting("Twist", "How far the ridges wind around along the profile.", unit="degrees")] = (
        0.0
    )

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        del at
        depth = plain(self.depth)
        if depth == 0.0 or not len(strength):
            return geometry
        order = order_of(Samples(geometry, geometry.points), "profile")
        numbers = radians(plain(self.twist)), plain(self.sharpness), plain(self.dies_out)
        groove = grooves(geometry.rest, order, strength, self.count, *numbers)
        return geometry.moved(displace_along(geometry.points, geometry.normals, groove, -depth))
