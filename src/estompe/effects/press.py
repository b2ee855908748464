"""Press: a body pushes the surface in, and the surface around it swells."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from estompe.document.scene import RampPoint, Range
from estompe.effects.pressing import PressingEffect
from estompe.falloffs.ramp import remapped
from estompe.geometry import Domain, Geometry
from estompe.geometry.volumes.volume import check_closed, towards_volume, volume
from estompe.kernels.press import pressed
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

Vector = NDArray[np.float64]
CONTACT = (Domain.POINT, "contact")
_BEFORE, _AFTER, _DEEPEST = ((Domain.WHOLE, name) for name in ("volume before", "volume after", "deepest"))
_BULGE = (RampPoint(0.0, 0.35), RampPoint(0.3, 1.0), RampPoint(1.0, 0.0))


@register
class Press(PressingEffect, tag="press"):
    """Points inside the body go onto its surface; those around it swell along their normals. Nothing before contact."""

    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "attributes")
    recolors: ClassVar[bool | None] = False
    label: ClassVar[str] = "Press"
    text: ClassVar[str] = (
        "A control or shape presses the surface in, and a ring around it swells; the volume can be kept."
    )
    words: ClassVar[str] = (
        "collision, collide, squash, dent, imprint, indent, bulge, footprint, stamp, preserve volume, "
        "contact, crush, impact, touch, conform, shrink wrap, squeeze, step on"
    )

    width: Annotated[
        Number,
        setting(
            "Swell width",
            "How far the swelling reaches from the contact: more spreads it out.",
            unit="length",
            low=1e-4,
            high=1e6,
        ),
    ] = 0.25
    swell: Annotated[
        Number,
        setting(
            "Swell height",
            "The height of the swelling relative to the deepest point: more raises it.",
            unit="fraction",
            low=0.0,
            high=10.0,
        ),
    ] = 0.4
    keep_volume: Annotated[
        bool, setting("Keep volume", "Whether the swelling is as high as the volume needs; the mesh must be closed.")
    ] = False
    profile: Annotated[
        tuple[RampPoint, ...],
        setting(
            "Profile",
            "The shape of the swelling, from the contact on the left to its end on the right.",
            editor="profile",
        ),
        Meta(min_length=1, max_length=64),
    ] = _BULGE

    @classmethod
    def summary(cls, after: Geometry) -> str:
        before, now, deepest = (after.attribute(*key) for key in (_BEFORE, _AFTER, _DEEPEST))
        if before is None or now is None or deepest is None:
            return "no contact on this frame"
        words = f"deepest {float(deepest[0]):.3f} m"
        if np.isfinite(before[0]):
            words += f", enclosed volume {float(before[0]):.4f} → {float(now[0]):.4f}"
        return words

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if self.keep_volume:
            check_closed(geometry)
        touch = self.touch(geometry.points, context, plain(self.width))
        inside = (touch.depth > 0.0) & (strength > 0.0)
        if not inside.any():
            return geometry.with_attribute(*CONTACT, inside)
        deepest = float(touch.depth[inside].max())
        width = plain(self.width)
        around = remapped(touch.depth, Range(0.0, -width), self.profile, signed=False)
        moved, along = pressed(geometry.points, geometry.normals, touch.onto, touch.depth, strength, around, width)
        return self._swollen(geometry, moved, along, deepest).with_attribute(*CONTACT, inside)

    def _swollen(self, geometry: Geometry, pressed: Floats, along: Floats, deepest: float) -> Geometry:
        triangles, height = geometry.topology.triangles, plain(self.swell) * deepest
        before = after = float("nan")
        if geometry.topology.closed:
            before = volume(geometry.points, triangles)
        if self.keep_volume:
            height = max(0.0, towards_volume(pressed, along, triangles, before))
        made = geometry.moved(pressed + along * np.float32(height))
        if geometry.topology.closed:
            after = volume(made.points, triangles)
        for key, value in ((_BEFORE, before), (_AFTER, after), (_DEEPEST, deepest)):
            made = made.with_attribute(*key, np.array([value], np.float64))
        return made
