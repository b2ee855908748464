"""Handles on what is picked: lines, squares and rings that move, rotate and scale it along its own axes."""

import itertools
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Transform
from estompe.geometry.transforms import rotation_matrix
from estompe.kinds.numbers import Triple, plain_triple
from estompe.render import Viewpoint

HandleTool = Literal["move", "rotate", "scale"]
Part = Literal["axis", "plane", "ring", "centre"]
Vector = NDArray[np.float64]
LENGTH = 86.0
DIGITS = {"position": 4, "rotation": 2, "scale": 4, "pivot": 4}
"""Decimals that a drag keeps, so that numbers stay as a person would type them."""
_GRAB, _SHORTEST = 7.0, 12.0
_ROUND = np.linspace(0.0, 2 * np.pi, 65)


@dataclass(frozen=True, eq=False)
class Handle:
    """One part that can be taken hold of; line: its outline in world space, (k, 3)."""

    part: Part
    axis: int
    line: Vector


class Handles:
    """The handles for a resolved transform as a viewpoint shows it in a picture of a size.

    within: the rotation of what it hangs on, (3, 3).
    """

    def __init__(
        self,
        tool: HandleTool,
        transform: Transform,
        viewpoint: Viewpoint,
        size: tuple[float, float],
        within: Vector | None = None,
    ) -> None:
        self.tool, self.viewpoint, self.size = tool, viewpoint, size
        self.start = {name: plain_triple(getattr(transform, name)) for name in ("position", "rotation", "scale")}
        self.centre = np.array(self.start["position"])
        self.scale = viewpoint.units_per_pixel(self.centre, size[1]) * LENGTH
        self.axes = self._ring_axes() if tool == "rotate" else rotation_matrix(self.start["rotation"]).T
        if within is not None:
            self.axes = self.axes @ within.T
        self.parts = self._made()

    def _ring_axes(self) -> Vector:
        """The axis each of the three rotations acts about: Z is outermost, X innermost."""
        _, y, z = self.start["rotation"]
        about_x = rotation_matrix((0.0, y, z)) @ np.array([1.0, 0.0, 0.0])
        about_y = rotation_matrix((0.0, 0.0, z)) @ np.array([0.0, 1.0, 0.0])
        return np.stack([about_x, about_y, np.array([0.0, 0.0, 1.0])])

    def _made(self) -> list[Handle]:
        if self.tool == "rotate":
            return [Handle("ring", axis, self._ring(axis)) for axis in range(3)]
        parts = [
            Handle("axis", axis, self.centre + np.outer([0.16, 1.0], self.axes[axis]) * self.scale) for axis in range(3)
        ]
        if self.tool == "move":
            parts += [Handle("plane", axis, self._square(axis)) for axis in range(3)]
        return [*parts, Handle("centre", 0, self.centre[None])]

    def _ring(self, axis: int) -> Vector:
        normal = self.axes[axis]
        helper = np.array([0.0, 1.0, 0.0]) if abs(normal[1]) < 0.9 else np.array([1.0, 0.0, 0.0])
        first = np.cross(normal, helper)
        first /= np.linalg.norm(first)
        second = np.cross(normal, first)
        radius = self.scale * (0.86 + 0.07 * axis)
        return self.centre + (np.outer(np.cos(_ROUND), first) + np.outer(np.sin(_ROUND), second)) * radius

    def _square(self, axis: int) -> Vector:
        first, second = self.axes[(axis + 1) % 3], self.axes[(axis + 2) % 3]
        corners = ((0.30, 0.30), (0.46, 0.30), (0.46, 0.46), (0.30, 0.46), (0.30, 0.30))
        return self.centre + np.array([first * a + second * b for a, b in corners]) * self.scale

    def under(self, x: float, y: float) -> Handle | None:
        """The handle at a pixel, the nearest of several."""
        best: tuple[float, Handle] | None = None
        for part in self.parts:
            pixels, before = self.viewpoint.project(part.line, *self.size)
            if not before.all():
                continue
            if part.part == "axis" and np.linalg.norm(pixels[1] - pixels[0]) < _SHORTEST:
                continue  # it points at the viewer: dragging along it would go nowhere
            distance = distance_to_line(pixels, np.array([x, y]))
            if part.part == "plane" and _inside(pixels, x, y):
                distance = 0.0
            allowed = _GRAB + 3 if part.part == "centre" else _GRAB
            if distance <= allowed and (best is None or distance < best[0]):
                best = (distance, part)
        return best[1] if best else None

    def dragged(self, handle: Handle, begin: tuple[float, float], now: tuple[float, float]) -> dict[str, Triple]:
        """The transform's changed triples after dragging a handle between two pixels."""
        if handle.part == "ring":
            return self._rotated(handle, begin, now)
        if self.tool == "scale":
            return self._scaled(handle, begin, now)
        step = self._along(handle, now) - self._along(handle, begin)
        return {"position": _triple(self.centre + step)}

    def _along(self, handle: Handle, at: tuple[float, float]) -> Vector:
        """Where a pixel's ray meets the handle's line or plane."""
        eye, direction = self.viewpoint.ray(*at, *self.size)
        if handle.part == "axis":
            axis = self.axes[handle.axis]
            return self.centre + axis * _nearest_on_line(self.centre, axis, eye, direction)
        normal = self.axes[handle.axis] if handle.part == "plane" else self.viewpoint.axes()[2]
        slope = float(direction @ normal)
        if abs(slope) < 1e-4:
            return self.centre
        return eye + direction * float((self.centre - eye) @ normal) / slope

    def _rotated(self, handle: Handle, begin: tuple[float, float], now: tuple[float, float]) -> dict[str, Triple]:
        (centre,), _ = self.viewpoint.project(self.centre[None], *self.size)
        before, after = (np.arctan2(-(at[1] - centre[1]), at[0] - centre[0]) for at in (begin, now))
        degrees = float(np.degrees(after - before))
        degrees = (degrees + 180) % 360 - 180
        towards = (
            np.asarray(self.viewpoint.eye) - self.centre if not self.viewpoint.parallel else self.viewpoint.axes()[2]
        )
        facing = float(self.axes[handle.axis] @ towards)
        rotation = list(self.start["rotation"])
        rotation[handle.axis] += degrees if facing >= 0 else -degrees
        return {"rotation": _triple(np.array(rotation), DIGITS["rotation"])}

    def _scaled(self, handle: Handle, begin: tuple[float, float], now: tuple[float, float]) -> dict[str, Triple]:
        scale = np.array(self.start["scale"])
        if handle.part == "centre":
            return {"scale": _triple(scale * np.exp((now[0] - begin[0]) / 120.0))}
        axis = self.axes[handle.axis]
        first, last = ((self._along(handle, at) - self.centre) @ axis for at in (begin, now))
        scale[handle.axis] *= max(0.01, last / first) if abs(first) > 1e-9 else 1.0
        return {"scale": _triple(scale)}


def distance_to_line(pixels: Vector, at: Vector) -> float:
    """Pixels from a place to the nearest point of a polyline."""
    if len(pixels) == 1:
        return float(np.linalg.norm(pixels[0] - at))
    begin, along = pixels[:-1], np.diff(pixels, axis=0)
    length = np.maximum((along**2).sum(axis=1), 1e-12)
    fraction = np.clip(((at - begin) * along).sum(axis=1) / length, 0.0, 1.0)
    return float(np.linalg.norm(begin + along * fraction[:, None] - at, axis=1).min())


def _inside(pixels: Vector, x: float, y: float) -> bool:
    inside = False
    for (ax, ay), (bx, by) in itertools.pairwise(pixels):
        if (ay > y) != (by > y) and x < (bx - ax) * (y - ay) / (by - ay) + ax:
            inside = not inside
    return inside


def _nearest_on_line(origin: Vector, axis: Vector, eye: Vector, direction: Vector) -> float:
    """Where along an axis a ray comes nearest to it."""
    across = float(axis @ direction)
    gap = eye - origin
    below = 1.0 - across * across
    if below < 1e-6:
        return 0.0
    return float((gap @ axis - across * (gap @ direction)) / below)


def _triple(values: Vector, digits: int = 4) -> Triple:
    x, y, z = (round(float(value), digits) for value in values)
    return (x, y, z)
