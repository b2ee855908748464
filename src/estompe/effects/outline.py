"""Outline: a line of ink around the shape, as wide in pixels as one asks for."""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Color
from estompe.effects.shell import colored, turned_inside_out
from estompe.geometry import Domain, Geometry
from estompe.geometry.faces import laid_together
from estompe.kernels.displace import displace_along
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import rgb, setting

LINES = 1080
"""The height of the picture for which pixels are counted, so that a picture of another size looks the same."""


@register
class Outline(Effect, tag="outline"):
    """A copy of the surface is moved along its normals and turned inside out, so that only its back is seen around the shape.

    The width of a pixel at a point grows with the depth before the camera, 2 tan(view angle / 2) / `LINES` for each unit.
    """

    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = True
    group: ClassVar[str] = "grow"
    label: ClassVar[str] = "Ink outline"
    text: ClassVar[str] = (
        "Draws a line of ink around the shape; its width follows the strength, in pixels or in the scene."
    )
    words: ClassVar[str] = (
        "outline, ink, toon, contour, cel, line art, stroke, silhouette, edge line, pen, drawn, comic, border line"
    )

    by: Annotated[
        Literal["pixels", "length"],
        setting("Width in", "Whether the width is the same in the picture at any distance, or a length in the scene."),
    ] = "pixels"
    pixels: Annotated[
        Number,
        setting(
            "Width",
            "The width of the line at full strength, in pixels of a picture of 1080 lines.",
            low=0.0,
            high=500.0,
            step=0.1,
            when=("by", ("pixels",)),
        ),
    ] = 4.0
    thickness: Annotated[
        Number,
        setting(
            "Thickness",
            "The width of the line at full strength.",
            unit="length",
            low=0.0,
            high=1e5,
            step=0.002,
            when=("by", ("length",)),
        ),
    ] = 0.02
    ink: Annotated[
        Color,
        rgb("Ink", "The colour of the line: red, green and blue."),
    ] = (0.00598, 0.0049, 0.0049)

    def gives_colors(self) -> bool:
        return True

    def reads(self) -> tuple[str, ...]:
        return ("color", "camera") if self.by == "pixels" else ("color",)

    def is_identity(self) -> bool:
        return plain(self.pixels if self.by == "pixels" else self.thickness) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any() or not geometry.topology.faces:
            return geometry
        amounts, width = strength, plain(self.thickness)
        if self.by == "pixels":
            eye = context.camera()
            ahead = (eye.target - eye.position) / max(1e-12, float(np.linalg.norm(eye.target - eye.position)))
            depth = (geometry.points - eye.position.astype(np.float32)) @ ahead.astype(np.float32)
            pixel = 2.0 * math.tan(math.radians(eye.view_angle) / 2.0) / LINES
            amounts = np.asarray(strength * np.maximum(depth, np.float32(0.0)), np.float32)
            width = plain(self.pixels) * pixel
        moved = displace_along(geometry.points, geometry.normals, amounts, width)
        layer = turned_inside_out(geometry.moved(moved))
        present = geometry.attribute(Domain.POINT, "color")
        own = np.array(context.shape_color, np.float32) if present is None else present[:, :3]
        return laid_together(colored(geometry, own, 0.0), colored(layer, np.array(self.ink, np.float32), 1.0))
