"""Ridges: folds that run along a profile and die out at both of its ends."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.falloffs.order import order_of
from estompe.geometry import Geometry
from estompe.geometry.samples import Samples
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats


@register
class Ridges(Struct, EffectSettings, frozen=True, forbid_unknown_fields=True, tag="ridges", tag_field="kind"):
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
        order = order_of(Samples(geometry), "profile")
        around = np.arctan2(geometry.rest[:, 2], geometry.rest[:, 0]) + np.radians(plain(self.twist)) * order
        wave = (0.5 - 0.5 * np.cos(self.count * around)) ** plain(self.sharpness)
        groove = (wave * _envelope(order, plain(self.dies_out))).astype(np.float32)
        return geometry.moved(displace_along(geometry.points, geometry.normals, groove * strength, -depth))


def _envelope(order: Floats, over: float) -> Floats:
    """1 in the middle of the profile, falling smoothly to 0 at both ends."""
    if over <= 0.0:
        return np.ones_like(order)
    share = np.clip(np.minimum(order, 1.0 - order) / np.float32(over), 0.0, 1.0)
    return np.asarray(share * share * (3.0 - 2.0 * share), np.float32)
