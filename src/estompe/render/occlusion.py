"""Soft contact shadows and ambient occlusion, from what the picture itself shows."""

from collections.abc import Callable
from typing import Any

import moderngl
import numpy as np

# Radii of contact and surroundings, as parts of the distance to what is looked at.
_CONTACT, _AROUND = 0.035, 0.15
_CORNERS = np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]], np.float32)


class Occlusion:
    """Darkens a picture where little light comes to. It works at half the picture's size, and so do its buffers."""

    def __init__(self, context: Any, program: Callable[[str, str], Any]) -> None:
        self._context = context
        self._passes = {name: program("screen", name) for name in ("occlusion", "smooth", "darken")}
        corners = context.buffer(_CORNERS.tobytes())
        self._screens = {
            name: context.vertex_array(made, [(corners, "2f", "corner")]) for name, made in self._passes.items()
        }
        self._size = (0, 0)
        self._targets: list[Any] = []

    def begin(self, size: tuple[int, int]) -> None:
        """Take what is drawn next with the program `forms`, for a picture of this size."""
        half = (max(1, size[0] // 2), max(1, size[1] // 2))
        if half != self._size:
            self._allocate(half)
        self._targets[0].use()
        self._targets[0].clear()

    @property
    def forms(self) -> Any:
        """The texture of normals and depths that was drawn last."""
        return self._targets[0].color_attachments[0]

    def _allocate(self, size: tuple[int, int]) -> None:
        self.release()
        context = self._context
        forms = context.texture(size, 4, dtype="f4")
        forms.filter = (moderngl.NEAREST, moderngl.NEAREST)
        found, smoothed = context.texture(size, 1), context.texture(size, 1)
        for texture in (forms, found, smoothed):
            texture.repeat_x = texture.repeat_y = False
        self._targets = [
            context.framebuffer([forms], context.depth_renderbuffer(size)),
            context.framebuffer([found]),
            context.framebuffer([smoothed]),
        ]
        self._size = size

    def find(self, projection: Any, distance: float) -> None:
        """Find how dark it is. projection: eye to clip space, float64 (4, 4); distance: to what is looked at, scene units."""
        lens = 1.0 / abs(float(projection[0, 0])), 1.0 / abs(float(projection[1, 1]))
        forms, found, _ = (made.color_attachments[0] for made in self._targets)
        size = (float(self._size[0]), float(self._size[1]))
        self._context.disable(moderngl.DEPTH_TEST)
        first = self._passes["occlusion"]
        first["lens"].value, first["size"].value = lens, size
        first["parallel"].value = bool(projection[3, 3] == 1.0)
        first["radii"].value = (_CONTACT * distance, _AROUND * distance)
        self._run("occlusion", self._targets[1], forms)
        self._passes["smooth"]["size"].value = size
        self._passes["smooth"]["occlusion"].value = 1
        self._run("smooth", self._targets[2], forms, found)

    def apply(
        self,
        target: Any,
        amount: float,
        window: tuple[float, float, float, float] = (1.0, 1.0, 0.0, 0.0),
        to_display: bool = False,
    ) -> None:
        """Darken a picture by the occlusion that `find` computed.

        window: width, height, left and top of what it shows, as fractions of the whole; to_display: whether it holds display
        values, else linear light.
        """
        smoothed = self._targets[2].color_attachments[0]
        darken = self._passes["darken"]
        darken["amount"].value, darken["window"].value = amount, window
        darken["to_display"].value = to_display
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = (moderngl.DST_COLOR, moderngl.ZERO)
        # Only where something was drawn: the ground behind it stays as it is, to the sample.
        self._context.enable(moderngl.DEPTH_TEST)
        self._context.depth_func, target.depth_mask = ">", False
        self._run("darken", target, smoothed)
        self._context.depth_func, target.depth_mask = "<", True
        self._context.blend_func = moderngl.DEFAULT_BLENDING
        self._context.disable(moderngl.BLEND)

    def _run(self, name: str, target: Any, *textures: Any) -> None:
        target.use()
        for unit, texture in enumerate(textures):
            texture.use(unit)
        self._screens[name].render(moderngl.TRIANGLE_STRIP)

    def release(self) -> None:
        """Give the buffers back."""
        for target in self._targets:
            for texture in target.color_attachments:
                texture.release()
            target.release()
        self._targets.clear()
