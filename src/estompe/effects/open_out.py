"""Open out: the surface grows along its order from nothing."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.falloffs.order import order_of
from estompe.geometry import Geometry
from estompe.geometry.elements import Elements
from estompe.geometry.faces import kept, on_faces
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class OpenOut(Effect, tag="open-out"):
    """A front runs along the order: hidden before it, pulled in along the normals at it, as it is behind it."""

    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "attributes", "topology")
    recolors: ClassVar[bool | None] = False
    group: ClassVar[str] = "grow"
    label: ClassVar[str] = "Open out"
    text: ClassVar[str] = "Grows the surface along its profile or UVs; one number from 0, nothing, to 1, everything."
    words: ClassVar[str] = (
        "unfold, bloom, reveal, unroll, grow on, uncurl, unwrap, spread open, write on, flower, trim, petal, "
        "cascade, leaf, feather"
    )

    opened: Annotated[
        Number,
        setting(
            "Opening",
            "The share of the shape that is there: more shows more of it.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.005,
        ),
    ] = 0.5
    along: Annotated[
        Literal["profile", "u", "v"], setting("Along", "The direction that is followed: the turned profile, or U or V.")
    ] = "profile"
    front: Annotated[
        Number,
        setting(
            "Front length",
            "The length of the part that is just opening: more opens more gradually.",
            unit="fraction",
            low=0.001,
            high=1.0,
            step=0.01,
        ),
    ] = 0.35
    pulled: Annotated[
        Number,
        setting("Inset", "How far the opening part is drawn in along its normals.", unit="length", step=0.005),
    ] = 0.1

    def is_identity(self) -> bool:
        return plain(self.opened) >= 1.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        opened = plain(self.opened)
        if not strength.any():
            return geometry
        soft = np.float32(plain(self.front))
        front = np.float32(opened) * (np.float32(1.0) + soft)
        fraction = np.clip((front - order_of(Elements(geometry), self.along)) / soft, 0.0, 1.0)
        grown = (fraction * fraction * (np.float32(3.0) - np.float32(2.0) * fraction)).astype(np.float32)
        # Without strength a point is opened whatever the front says.
        grown = np.float32(1.0) - strength * (np.float32(1.0) - grown)
        moved = geometry.moved(
            displace_along(geometry.points, geometry.normals, np.float32(1.0) - grown, -plain(self.pulled))
        )
        if not geometry.topology.faces:
            return moved
        return kept(moved, on_faces(moved, grown) > 0.0)
