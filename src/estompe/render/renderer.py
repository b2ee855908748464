"""Drawing meshes into pictures with a graphics context of its own, on screen or off."""

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources
from typing import Any, Literal, NamedTuple

import moderngl
import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kernels.types import Floats
from estompe.render import palette
from estompe.render.buffers import MeshBuffers
from estompe.render.occlusion import Occlusion
from estompe.render.viewpoint import Viewpoint

Mode = Literal["shaded", "strength", "wire"]
Picture = NDArray[np.uint8]
_MOST_PIXELS = 80_000_000
_EVERY_PROGRAM = ("surface", "wire", "ids")
_DARKENED: dict[Mode, float] = {"shaded": 1.0, "strength": 0.4}
"""How much occlusion shows: strength must read as a number, and a wire is all lines."""


class RenderError(RuntimeError):
    """No picture can be drawn on this machine; the text says what to install."""


class Item(NamedTuple):
    """One shape to draw. strength, range_position: float32 (points,), or None where the falloff is not shown on it."""

    id: str
    geometry: Geometry
    color: tuple[float, float, float]
    strength: Floats | None = None
    range_position: Floats | None = None


@dataclass(frozen=True)
class Look:
    """How a picture is drawn. background: 0..1; still: smooth edges and occlusion, at the price of time."""

    mode: Mode = "shaded"
    background: tuple[float, float, float] = (0.725, 0.710, 0.678)
    still: bool = True
    occlusion: bool = True


class Hit(NamedTuple):
    """What lies under a pixel: the item's id and the number of the triangle."""

    id: str
    triangle: int


class _Target(NamedTuple):
    """Where a picture of one size is drawn, and what it is read from."""

    drawn: Any
    read: Any
    size: tuple[int, int]
    samples: int


class Renderer:
    """Draws items; keeps buffers between pictures. It belongs to the thread that made it.

    uploads: names of the arrays that the last picture had to send to the graphics memory.
    """

    def __init__(self) -> None:
        try:
            self._context = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]  # its stub is wrong
        except Exception as error:  # the binding raises plain Exception where no driver is found
            raise RenderError(f"no off-screen graphics (install libegl1 and libgl1-mesa-dri): {error}") from error
        self._programs = {name: self._program(name, name) for name in _EVERY_PROGRAM}
        self._occlusion = Occlusion(self._context, self._program)
        self._meshes: dict[str, MeshBuffers] = {}
        self._targets: dict[int, _Target] = {}
        self._pick: Any = None
        table = palette.strength_table()
        self._palette = self._context.texture((len(table), 1), 3, table.tobytes())
        self._palette.repeat_x = False
        self.uploads: list[str] = []

    def draw(self, items: Sequence[Item], viewpoint: Viewpoint, look: Look, size: tuple[int, int]) -> Picture:
        """A picture, uint8 (height, width, 4), the upper row first."""
        self._follow(items, look)
        target = self._target(size, 4 if look.still else 0)
        target.drawn.use()
        self._context.enable(moderngl.DEPTH_TEST)
        self._context.front_face = "cw"  # the picture is drawn upside down, so that rows come out from the top
        target.drawn.clear(*look.background, 1.0)
        matrices = _matrices(viewpoint, size, items)
        for item in items:
            self._draw_item(item, look, matrices)
        if look.still and look.occlusion and look.mode in _DARKENED:
            self._darken(items, viewpoint, look, target, matrices)
        return self._read(target)

    def _darken(
        self, items: Sequence[Item], viewpoint: Viewpoint, look: Look, target: _Target, matrices: tuple[Any, Any]
    ) -> None:
        """Soft contact shadows and ambient occlusion over what was drawn."""
        self._occlusion.begin(target.size)
        program = self._occlusion.forms
        _set_matrices(program, *matrices)
        for item in items:
            if item.geometry.topology.faces:
                self._meshes[item.id].bound("forms", program, "triangles").render()
        _, projection = matrices
        lens = (1.0 / abs(float(projection[0, 0])), 1.0 / abs(float(projection[1, 1])))
        self._occlusion.darken(target.drawn, lens, viewpoint.distance, _DARKENED[look.mode])

    def pick(
        self, items: Sequence[Item], viewpoint: Viewpoint, size: tuple[int, int], x: float, y: float
    ) -> Hit | None:
        """What lies under a pixel of a picture of this size, or None."""
        self._follow(items, Look("shaded"))
        if self._pick is None:
            color = self._context.texture((1, 1), 2, dtype="u4")
            self._pick = self._context.framebuffer([color], self._context.depth_renderbuffer((1, 1)))
        self._pick.use()
        self._context.enable(moderngl.DEPTH_TEST)
        self._pick.clear()
        view, projection = _matrices(viewpoint, size, items)
        # The one pixel fills the picture: nothing but what is under it is drawn.
        narrow = np.diag([float(size[0]), float(size[1]), 1.0, 1.0])
        narrow[0, 3], narrow[1, 3] = size[0] - 2 * x, size[1] - 2 * y
        program = self._programs["ids"]
        _set_matrices(program, view, narrow @ projection)
        for number, item in enumerate(items):
            if item.geometry.topology.faces:
                program["item"].value = number + 1
                self._meshes[item.id].bound("ids", program, "triangles").render()
        number, triangle = np.frombuffer(self._pick.color_attachments[0].read(), np.uint32)
        return Hit(items[number - 1].id, int(triangle)) if number else None

    def release(self) -> None:
        """Give everything back; the renderer cannot be used any more."""
        for mesh in self._meshes.values():
            mesh.release()
        self._meshes.clear()
        self._occlusion.release()
        for target in self._targets.values():
            _release(target)
        self._targets.clear()
        self._context.release()

    def _follow(self, items: Sequence[Item], look: Look) -> None:
        self.uploads = []
        for gone in set(self._meshes) - {item.id for item in items}:
            self._meshes.pop(gone).release()
        for item in items:
            mesh = self._meshes.setdefault(item.id, MeshBuffers(self._context))
            mesh.follow(item.geometry, item.strength, item.range_position, edges=look.mode == "wire")
            self.uploads += [f"{item.id}.{name}" for name in mesh.uploads]

    def _draw_item(self, item: Item, look: Look, matrices: tuple[Any, Any]) -> None:
        if not item.geometry.topology.faces:
            return
        mesh, program = self._meshes[item.id], self._programs["surface"]
        _set_matrices(program, *matrices)
        program["base_color"].value = item.color
        program["use_own_color"].value = mesh.has("color")
        program["show_strength"].value = look.mode == "strength" and item.strength is not None
        self._palette.use(0)
        mesh.bound("surface", program, "triangles").render()
        if look.mode == "wire":
            wire = self._programs["wire"]
            _set_matrices(wire, *matrices)
            wire["ink"].value = (0.15, 0.14, 0.12, 0.5)
            self._context.enable(moderngl.BLEND)
            mesh.bound("wire", wire, "edges").render(moderngl.LINES)
            self._context.disable(moderngl.BLEND)

    def _read(self, target: _Target) -> Picture:
        width, height = target.size
        if target.samples:
            self._context.copy_framebuffer(target.read, target.drawn)
        out = np.empty((height, width, 4), np.uint8)
        target.read.read_into(out, components=4)
        return out

    def _target(self, size: tuple[int, int], samples: int) -> _Target:
        found = self._targets.get(samples)
        if found is not None and found.size == size:
            return found
        self._check_size(size)
        if found is not None:
            _release(found)
        context = self._context
        read = context.framebuffer([context.renderbuffer(size, 4)], context.depth_renderbuffer(size))
        drawn = read
        if samples:
            color, depth = context.renderbuffer(size, 4, samples), context.depth_renderbuffer(size, samples)
            drawn = context.framebuffer([color], depth)
        self._targets[samples] = _Target(drawn, read, size, samples)
        return self._targets[samples]

    def _check_size(self, size: tuple[int, int]) -> None:
        most = min(int(self._context.info["GL_MAX_RENDERBUFFER_SIZE"]), *self._context.info["GL_MAX_VIEWPORT_DIMS"])
        if max(size) > most or size[0] * size[1] > _MOST_PIXELS:
            raise RenderError(
                f"a picture of {size[0]}x{size[1]} is more than this machine can draw: at most {most} on a side, "
                f"and {_MOST_PIXELS // 10**6} million pixels"
            )

    def _program(self, vertex: str, fragment: str) -> Any:
        folder = resources.files("estompe.render") / "shaders"
        return self._context.program(
            vertex_shader=(folder / f"{vertex}.vert").read_text(),
            fragment_shader=(folder / f"{fragment}.frag").read_text(),
        )


def _release(target: _Target) -> None:
    """Give a target back with what it draws into: a framebuffer alone leaves that behind."""
    for framebuffer in {target.drawn, target.read}:
        for part in (*framebuffer.color_attachments, framebuffer.depth_attachment):
            part.release()
        framebuffer.release()


def _matrices(viewpoint: Viewpoint, size: tuple[int, int], items: Sequence[Item]) -> tuple[Any, Any]:
    far = 1.0
    for item in items:
        low, high = item.geometry.bounds
        farthest = np.maximum(np.abs(low - np.asarray(viewpoint.eye)), np.abs(high - np.asarray(viewpoint.eye)))
        far = max(far, float(np.linalg.norm(farthest)))
    projection = viewpoint.projection(size[0] / size[1], far)
    projection[1] *= -1
    return viewpoint.view(), projection


def _set_matrices(program: Any, view: NDArray[np.float64], projection: NDArray[np.float64]) -> None:
    program["view"].write(view.T.astype(np.float32).tobytes())
    program["projection"].write(projection.T.astype(np.float32).tobytes())
