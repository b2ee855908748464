"""Where a picture is taken from."""

import functools
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Camera
from estompe.document.transforms import eye_of

Vector = NDArray[np.float64]
Matrix = NDArray[np.float64]
_NEAREST = 1e-6


@functools.lru_cache(maxsize=64)
def _view(eye: tuple[float, ...], target: tuple[float, ...], up: tuple[float, ...]) -> Matrix:
    """World to eye space; a window asks for the same one for everything that it draws."""
    away = np.subtract(eye, target)
    back = away / max(_NEAREST, float(np.linalg.norm(away)))
    right = np.cross(up, back)
    if np.linalg.norm(right) < 1e-6:
        right = np.array([1.0, 0.0, 0.0])
    right = right / np.linalg.norm(right)
    out = np.eye(4)
    out[:3, :3] = right, np.cross(back, right), back
    out[:3, 3] = -out[:3, :3] @ np.asarray(eye)
    out.setflags(write=False)
    return out


@dataclass(frozen=True)
class Viewpoint:
    """A view: eye and target in scene units, the picture's height as an angle in degrees.

    parallel: the picture's height in scene units where rays are parallel, 0 for a perspective view. up: the direction that
    points up in the picture. aspect: the film's width through its height, 0 for that of the picture; a
    picture that is wider than the film shows more at its sides, a narrower one more above and below. offset: of the film, in
    halves of its height; clipping: the distances between which something is seen, scene units.
    """

    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    view_angle: float = 32.0
    up: tuple[float, float, float] = (0.0, 1.0, 0.0)
    aspect: float = 0.0
    offset: tuple[float, float] = (0.0, 0.0)
    clipping: tuple[float, float] | None = None
    parallel: float = 0.0

    @classmethod
    def of_camera(cls, camera: Camera) -> "Viewpoint":
        """The view of a scene's camera whose numbers are resolved."""
        eye = eye_of(camera)
        up = (0.0, 1.0, 0.0) if eye.up is None else _triple(eye.up)
        return cls(
            _triple(eye.position), _triple(eye.target), eye.view_angle, up, eye.aspect, eye.offset, eye.clipping, eye.parallel
        )  # fmt: skip

    def _half(self, width: float, height: float) -> float:
        """Half the picture's height: at distance 1, or at any distance where rays are parallel."""
        half = self.parallel / 2 if self.parallel else math.tan(math.radians(self.view_angle) / 2)
        return half * max(1.0, self.aspect * height / width)

    def _shift(self, width: float, height: float) -> tuple[float, float]:
        """The film's offset in halves of the picture's height."""
        share = 1.0 / max(1.0, self.aspect * height / width)
        return self.offset[0] * share, self.offset[1] * share

    @property
    def distance(self) -> float:
        """From eye to target, scene units."""
        return max(_NEAREST, float(np.linalg.norm(np.subtract(self.eye, self.target))))

    def axes(self) -> tuple[Vector, Vector, Vector]:
        """Right, up and towards the viewer, unit vectors in world space. Read-only."""
        right, up, back = _view(self.eye, self.target, self.up)[:3, :3]
        return right, up, back

    def view(self) -> Matrix:
        """World to eye space, float64 (4, 4). Read-only."""
        return _view(self.eye, self.target, self.up)

    def projection(self, aspect: float, far: float, nearest: float = 0.0) -> Matrix:
        """Return the matrix from eye space to clip space, float64 (4, 4).

        Parameters
        ----------
        aspect : float
            The picture's width divided by its height.
        far : float
            The distance from the eye that must still be visible, scene units.
        nearest : float
            The depth before which there is nothing, scene units. The larger it is, the finer depths are resolved, so that no
            surface shows through another just before it.
        """
        if self.parallel:
            return self._parallel_projection(aspect, far, nearest)
        far = max(far, self.distance) * 1.5
        near = max(far * 1e-4, self.distance * 1e-3, 0.8 * nearest)
        if self.clipping is not None and self.clipping[0] < self.clipping[1]:
            near, far = max(near, self.clipping[0]), max(min(far, self.clipping[1]), near * 1.01)
        half = self._half(aspect, 1.0)
        out = np.zeros((4, 4))
        out[0, 0], out[1, 1] = 1 / (half * aspect), 1 / half
        shift = self._shift(aspect, 1.0)
        out[0, 2], out[1, 2] = shift[0] / aspect, shift[1]
        out[2, 2], out[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
        out[3, 2] = -1
        return out

    def _parallel_projection(self, aspect: float, far: float, nearest: float) -> Matrix:
        near, far = nearest - 1e-3 * abs(far - nearest) - 1e-6, far + 1e-3 * abs(far - nearest) + 1e-6
        if self.clipping is not None and self.clipping[0] < self.clipping[1]:
            near = max(near, self.clipping[0])
            far = max(min(far, self.clipping[1]), near + 1e-6)
        half, shift = self._half(aspect, 1.0), self._shift(aspect, 1.0)
        out = np.eye(4)
        out[0, 0], out[1, 1] = 1 / (half * aspect), 1 / half
        out[0, 3], out[1, 3] = -shift[0] / aspect, -shift[1]
        out[2, 2], out[2, 3] = 2 / (near - far), (far + near) / (near - far)
        return out

    def ray(self, x: float, y: float, width: float, height: float) -> tuple[Vector, Vector]:
        """Return the eye and the unit direction through a pixel of a picture.

        Parameters
        ----------
        x, y : float
            The pixel, counted from the upper left corner.
        width, height : float
            The size of the picture, pixels.

        Returns
        -------
        float64 (3,), float64 (3,)
            The eye and the direction, world space; where rays are parallel, the pixel's place in the plane of the eye.
        """
        right, up, back = self.axes()
        half, shift = self._half(width, height), self._shift(width, height)
        across, above = ((2 * x - width) / height + shift[0]) * half, ((height - 2 * y) / height + shift[1]) * half
        if self.parallel:
            return np.asarray(self.eye, np.float64) + right * across + up * above, -back
        direction = right * across + up * above - back
        return np.asarray(self.eye, np.float64), direction / np.linalg.norm(direction)

    def project(self, points: Vector, width: float, height: float) -> tuple[Vector, NDArray[np.bool_]]:
        """Project world points into a picture.

        Parameters
        ----------
        points : float64 (n, 3)
            World positions.
        width, height : float
            The size of the picture, pixels.

        Returns
        -------
        float64 (n, 2), bool (n,)
            Pixels from the upper left corner, and which points lie before the eye.
        """
        matrix = self.view()
        eye = np.asarray(points, np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
        depth = -eye[:, 2]
        before = np.ones(len(depth), np.bool_) if self.parallel else depth > self.distance * 1e-4
        scale = (
            height
            / 2
            / self._half(width, height)
            / (np.ones_like(depth) if self.parallel else np.where(before, depth, 1.0))
        )
        right, up = (height / 2 * side for side in self._shift(width, height))
        return np.stack([width / 2 - right + eye[:, 0] * scale, height / 2 + up - eye[:, 1] * scale], axis=1), before

    def units_per_pixel(self, place: Vector, height: float) -> float:
        """How large one pixel is at a place, scene units."""
        if self.parallel:
            return self.parallel / height
        depth = float((np.asarray(self.eye) - place) @ self.axes()[2])
        return 2 * math.tan(math.radians(self.view_angle) / 2) * max(depth, 1e-6) / height

    def upright(self) -> "Viewpoint":
        """The same view with Y up, and no film of its own."""
        if self.up == (0.0, 1.0, 0.0) and self.aspect == 0.0 and self.clipping is None:
            return self
        return replace(self, up=(0.0, 1.0, 0.0), aspect=0.0, offset=(0.0, 0.0), clipping=None)

    def orbited(self, across: float, above: float) -> "Viewpoint":
        """Turned about the target by degrees; it stops short of straight up and down."""
        back = np.subtract(self.eye, self.target)
        around = math.atan2(back[0], back[2]) - math.radians(across)
        height = math.asin(max(-1.0, min(1.0, back[1] / self.distance))) + math.radians(above)
        height = max(-1.55, min(1.55, height))
        flat = math.cos(height)
        direction = np.array([math.sin(around) * flat, math.sin(height), math.cos(around) * flat])
        return self._from(np.asarray(self.target) + direction * self.distance, np.asarray(self.target))

    def panned(self, right: float, up: float) -> "Viewpoint":
        """Moved sideways by scene units."""
        across, above, _ = self.axes()
        step = across * right + above * up
        return self._from(np.asarray(self.eye) + step, np.asarray(self.target) + step)

    def zoomed(self, factor: float) -> "Viewpoint":
        """The distance to the target times a factor."""
        back = np.subtract(self.eye, self.target) * max(1e-3, factor)
        moved = self._from(np.asarray(self.target) + back, np.asarray(self.target))
        return replace(moved, parallel=self.parallel * max(1e-3, factor))

    def with_parallel(self, on: bool) -> "Viewpoint":
        """The view with parallel rays, or in perspective; the target stays as large as it is."""
        half = math.tan(math.radians(self.view_angle) / 2)
        return replace(self, parallel=2.0 * half * self.distance if on else 0.0)

    def looking(self, direction: tuple[float, float, float]) -> "Viewpoint":
        """Look at the same target along a direction, from the same distance."""
        way = np.asarray(direction, np.float64)
        back = -way / max(1e-12, float(np.linalg.norm(way))) * self.distance
        return self._from(np.asarray(self.target) + back, np.asarray(self.target))

    def fitted(self, low: Vector, high: Vector, aspect: float) -> "Viewpoint":
        """Move the eye along its direction until a box just fills the picture.

        Parameters
        ----------
        low, high : float64 (3,)
            The corners of the box, world space.
        aspect : float
            The picture's width divided by its height.

        Returns
        -------
        Viewpoint
            The new viewpoint.
        """
        centre = (np.asarray(low, np.float64) + high) / 2
        radius = max(1e-3, float(np.linalg.norm(np.asarray(high, np.float64) - low)) / 2)
        half = math.radians(self.view_angle) / 2
        narrow = min(half, math.atan(math.tan(half) * aspect))
        back = self.axes()[2] * radius * 1.08 / math.sin(narrow)
        fitted = self._from(centre + back, centre)
        return fitted.with_parallel(True) if self.parallel else fitted

    def _from(self, eye: Vector, target: Vector) -> "Viewpoint":
        return replace(self, eye=(float(eye[0]), float(eye[1]), float(eye[2])),
                       target=(float(target[0]), float(target[1]), float(target[2])))  # fmt: skip


def _triple(vector: Vector) -> tuple[float, float, float]:
    return float(vector[0]), float(vector[1]), float(vector[2])
