"""What helps the eye in the window: a grid with known spacing, and the soft shadow of a key light."""

import math
from collections.abc import Callable, Sequence
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Floats
from estompe.render.item import Item, Look

_MINOR, _MAJOR = 40, 10
"""Cells of the fine grid to each side, and how many of them a cell of the coarse one takes."""
_INKS = ((0.15, 0.14, 0.12, 0.13), (0.15, 0.14, 0.12, 0.24), (0.15, 0.14, 0.12, 0.50))
_ELEVATION, _WIDE = 52.0, 7.0
"""The height of the key light over the horizon, and how far the places of its area are apart, degrees."""
_LIGHTS, _FEWER, _MANY = 8, 4, 400_000
"""How many lights the area of the key light is made of, and how many from this number of triangles on."""
_SIDE = 768
"""Pixels to each side of the picture that a light takes."""
_DARKNESS = 0.34
_CORNERS = np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]], np.float32)


def key_direction(azimuth: float, elevation: float = _ELEVATION) -> NDArray[np.float64]:
    """Towards a key light, a unit vector in world space. azimuth: degrees from the Z axis towards the X axis."""
    around, height = math.radians(azimuth), math.radians(elevation)
    return np.array([math.sin(around) * math.cos(height), math.sin(height), math.cos(around) * math.cos(height)])


def grid_lines(spacing: float, centre: Sequence[float], axis: int) -> tuple[Floats, Floats, Floats]:
    """Lines of a grid in a plane through the origin.

    Parameters
    ----------
    spacing : float
        Between neighbouring lines, scene units.
    centre : (float, float, float)
        About where in the world the grid is, scene units; it stays on whole multiples of the spacing.
    axis : int
        The axis that is across the plane: 1 for the ground.

    Returns
    -------
    float32 (k, 3), float32 (m, 3), float32 (n, 3)
        Ends of the fine lines, of the coarse ones, and of the two axes in the plane, world space.
    """
    first, second = ((axis + 1) % 3, (axis + 2) % 3)
    fine = _lines(spacing, centre, first, second, _MINOR, skip=_MAJOR)
    coarse = _lines(spacing * _MAJOR, centre, first, second, _MINOR, skip=0)
    far = spacing * _MAJOR * _MINOR
    axes = np.zeros((4, 3), np.float32)
    for row, along in enumerate((first, second)):
        middle = round(centre[along] / spacing) * spacing
        axes[2 * row : 2 * row + 2, along] = middle - far, middle + far
    return fine, coarse, axes


def _lines(spacing: float, centre: Sequence[float], first: int, second: int, count: int, skip: int) -> Floats:
    lines = []
    for along, across in ((first, second), (second, first)):
        middle, begin = (round(centre[way] / spacing) for way in (along, across))
        numbers = np.array([n for n in range(begin - count, begin + count + 1) if n and not (skip and n % skip == 0)])
        ends = np.zeros((len(numbers), 2, 3))
        ends[:, :, across] = (numbers * spacing)[:, None]
        ends[:, 0, along], ends[:, 1, along] = (middle - count) * spacing, (middle + count) * spacing
        lines.append(ends.reshape(-1, 3))
    return np.concatenate(lines).astype(np.float32)


def seen_from(
    light: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64], height: float
) -> NDArray[np.float64]:
    """The matrix from the world to the picture that a light takes of a box and the ground below it.

    Parameters
    ----------
    light : float64 (3,)
        Towards the light, unit vector.
    low, high : float64 (3,)
        Corners of the box, world space.
    height : float
        Where the ground is along Y, scene units.

    Returns
    -------
    float64 (4, 4)
        World to clip space; rays are parallel.
    """
    middle = (np.minimum(low, (low[0], height, low[2])) + high) / 2
    radius = max(1e-6, float(np.linalg.norm(high - middle)))
    right = np.cross((0.0, 1.0, 0.0), light)
    right /= np.linalg.norm(right)
    axes = np.stack([right, np.cross(light, right), light]) / radius
    out = np.eye(4)
    out[:3, :3], out[:3, 3] = axes, -axes @ middle
    out[2] = -out[2]
    out[3] = (0.0, 0.0, 0.0, 1.0)
    return out


def lights_about(azimuth: float, count: int) -> list[NDArray[np.float64]]:
    """Directions over the area of a key light, unit vectors, evenly spread."""
    lights = []
    for number in range(count):
        # Vogel, "A better way to construct the sunflower head" (1979): even over a disc.
        radius, angle = _WIDE * math.sqrt((number + 0.5) / count), number * 2.39996323
        lights.append(key_direction(azimuth + radius * math.cos(angle), _ELEVATION + radius * math.sin(angle)))
    return lights


def bounds_of(items: Sequence[Item]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The corners of the box around all items, float64 (3,) each."""
    low = np.min([item.geometry.bounds[0] for item in items], axis=0).astype(np.float64)
    high = np.max([item.geometry.bounds[1] for item in items], axis=0).astype(np.float64)
    return low, high


def ground_height(items: Sequence[Item]) -> float:
    """Where the ground is: at 0, or under the lowest point in steps of a fiftieth of the size of all items."""
    if not items:
        return 0.0
    low, high = bounds_of(items)
    step = max(float(np.max(high - low)) / 50.0, 1e-6)
    return 0.0 if low[1] > -0.5 * step else math.floor(float(low[1]) / step) * step


class Ground:
    """Draws the grid and the shadow with a renderer's context."""

    def __init__(self, context: Any, program: Callable[[str, str], Any]) -> None:
        self._context, self._program = context, program
        self._programs: dict[str, Any] = {}
        self._screens: dict[str, Any] = {}
        self._seen: Any = None
        self._hidden: Any = None
        self._size = (0, 0)

    def draw_grid(self, target: Any, wire: Any, look: Look) -> None:
        """Draw the grid of a look into a target, behind what is drawn there. wire: the program of lines."""
        context = self._context
        context.enable(moderngl.BLEND)
        target.depth_mask = False
        for points, ink in zip(grid_lines(look.grid, look.grid_centre, look.grid_axis), _INKS, strict=True):
            wire["ink"].value = ink
            buffer = context.buffer(np.ascontiguousarray(points).tobytes())
            array = context.vertex_array(wire, [(buffer, "3f", "position")])
            array.render(moderngl.LINES)
            array.release()
            buffer.release()
        target.depth_mask = True
        context.disable(moderngl.BLEND)

    def cast(
        self,
        items: Sequence[Item],
        azimuth: float,
        matrices: tuple[NDArray[np.float64], NDArray[np.float64]],
        forms: Any,
        render: Callable[[NDArray[np.float64]], None],
    ) -> None:
        """Find where the area of the key light is hidden, on what is drawn and on the ground.

        Parameters
        ----------
        items : sequence of Item
            What casts shadows.
        azimuth : float
            Of the key light, degrees.
        matrices : (float64 (4, 4), float64 (4, 4))
            World to eye space, and eye to clip space.
        forms : moderngl.Texture
            Normals and depths of the picture, as occlusion has them.
        render : callable
            Draws all items, called with the matrix from the world to the light's picture.
        """
        many = sum(item.geometry.total_triangles for item in items) > _MANY
        lights, context = lights_about(azimuth, _FEWER if many else _LIGHTS), self._context
        self._allocate(forms.size)
        (low, high), height = bounds_of(items), ground_height(items)
        program = self._set_up(matrices, height)
        self._hidden.use()
        self._hidden.clear(0.0, 0.0, 0.0, 0.0)
        for light in lights:
            matrix = seen_from(light, low, high, height)
            self._seen.use()
            context.enable(moderngl.DEPTH_TEST)
            self._seen.clear(depth=1.0)
            render(matrix)
            context.disable(moderngl.DEPTH_TEST)
            context.enable(moderngl.BLEND)
            context.blend_func = (moderngl.ONE, moderngl.ONE)
            program["light"].write(matrix.T.astype(np.float32).tobytes())
            program["towards"].value = tuple(light)
            program["share"].value = 1.0 / len(lights)
            self._hidden.use()
            forms.use(0)
            self._seen.depth_attachment.use(1)
            self._screens["shadow"].render(moderngl.TRIANGLE_STRIP)
            context.blend_func = moderngl.DEFAULT_BLENDING
            context.disable(moderngl.BLEND)
        context.enable(moderngl.DEPTH_TEST)

    def _set_up(self, matrices: tuple[NDArray[np.float64], NDArray[np.float64]], height: float) -> Any:
        """The program that looks whether a light is hidden, with what does not depend on the light."""
        view, projection = matrices
        program = self._programs["shadow"]
        program["light_picture"].value = 1
        program["to_world"].write(np.linalg.inv(view).T.astype(np.float32).tobytes())
        program["lens"].value = 1.0 / abs(float(projection[0, 0])), 1.0 / abs(float(projection[1, 1]))
        program["parallel"].value = bool(projection[3, 3] == 1.0)
        program["ground"].value = height
        return program

    def apply(self, target: Any) -> None:
        """Darken a picture where the light is hidden."""
        context, program = self._context, self._programs["shade"]
        program["darkness"].value = _DARKNESS
        program["pixel"].value = (1.0 / self._size[0], 1.0 / self._size[1])
        target.use()
        self._hidden.color_attachments[0].use(0)
        context.disable(moderngl.DEPTH_TEST)
        context.enable(moderngl.BLEND)
        context.blend_func = (moderngl.DST_COLOR, moderngl.ZERO)
        self._screens["shade"].render(moderngl.TRIANGLE_STRIP)
        context.blend_func = moderngl.DEFAULT_BLENDING
        context.disable(moderngl.BLEND)
        context.enable(moderngl.DEPTH_TEST)

    def _allocate(self, size: tuple[int, int]) -> None:
        context = self._context
        if not self._programs:
            self._programs = {name: self._program("screen", name) for name in ("shadow", "shade")}
            corners = context.buffer(_CORNERS.tobytes())
            self._screens = {
                name: context.vertex_array(program, [(corners, "2f", "corner")])
                for name, program in self._programs.items()
            }
            depth = context.depth_texture((_SIDE, _SIDE))
            depth.compare_func = ""
            depth.repeat_x = depth.repeat_y = False
            self._seen = context.framebuffer(depth_attachment=depth)
        if size == self._size:
            return
        self._release_hidden()
        texture = context.texture(size, 1)
        texture.repeat_x = texture.repeat_y = False
        self._hidden, self._size = context.framebuffer([texture]), size

    def _release_hidden(self) -> None:
        if self._hidden is not None:
            self._hidden.color_attachments[0].release()
            self._hidden.release()
        self._hidden, self._size = None, (0, 0)

    def release(self) -> None:
        """Give the buffers back."""
        self._release_hidden()
        if self._seen is not None:
            self._seen.depth_attachment.release()
            self._seen.release()
            self._seen = None
