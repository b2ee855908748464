"""Drawing meshes into pictures with a graphics context of its own, on screen or off."""

import ctypes
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import moderngl
import numpy as np

from estompe.geometry.colors import linear_of
from estompe.kernels.types import Floats
from estompe.render import palette, view_transform
from estompe.render.drawers.drawer import Batch, Drawer, Ray, Wanted, drawer_of
from estompe.render.ground import Ground, key_direction
from estompe.render.item import Hit, Item, Look, Mode, Picture
from estompe.render.matrices import matrices_of
from estompe.render.occlusion import Occlusion
from estompe.render.programs import Programs
from estompe.render.targets import RenderError, Target, Targets
from estompe.render.view_transform import ViewTransform
from estompe.render.viewpoint import Viewpoint

FACES_UNIT = 1
_VIEW_UNIT = 4
_NOTHING_LATER: Mapping[str, Floats] = {}
_KEY = (-0.43554053, 0.72590088, 0.53232731)
"""Towards the key light that comes along with the camera, in eye space."""
_WORTH_WAITING = 4096
"""Copies from which on a batch is waited for, so that a newer picture can come first."""
DARKENED: dict[Mode, float] = {"shaded": 1.0, "strength": 0.4, "pieces": 0.8}
"""How much occlusion shows: strength must read as a number, and a wire is all lines."""


class Renderer:
    """Draws items; keeps buffers between pictures. It belongs to the thread that made it.

    uploads: names of the arrays that the last picture had to send to the graphics memory; stood_in: how many copies the last
    picture showed as boxes or points.
    """

    def __init__(self) -> None:
        try:
            self._context = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]  # its stub is wrong
        except Exception as error:  # the binding raises plain Exception where no driver is found
            raise RenderError(
                f"no off-screen graphics (install libegl1, libgl1 and libgl1-mesa-dri): {error}"
            ) from error
        self._programs = Programs(self._context)
        self._occlusion = Occlusion(self._context, self._programs.plain)
        self._ground = Ground(self._context, self._programs.plain)
        self._key: tuple[float, float, float] = _KEY
        self._drawers: dict[str, Drawer] = {}
        self._targets = Targets(self._context)
        self._pick: Any = None
        table = palette.strength_table()
        light = linear_of(table.astype(np.float32) / np.float32(255.0))
        self._palette = self._context.texture((len(table), 1), 3, light.tobytes(), dtype="f4")
        self._palette.repeat_x = False
        self.uploads: list[str] = []
        self.stood_in = 0
        self._pause: Callable[[], None] | None = None
        self._outside: dict[str, bool] = {}
        self._view: tuple[str, Any] | None = None

    def draw(
        self,
        items: Sequence[Item],
        viewpoint: Viewpoint,
        look: Look,
        size: tuple[int, int],
        pause: Callable[[], None] | None = None,
    ) -> Picture:
        """Draw a picture.

        Parameters
        ----------
        items : sequence of Item
            The shapes to draw.
        viewpoint : Viewpoint
            The camera.
        look : Look
            How it is drawn.
        size : (int, int)
            Width and height, pixels.
        pause : callable, optional
            Called between large batches; it may raise to stop.

        Returns
        -------
        uint8 (height, width, 4)
            The picture, the upper row first.
        """
        self._pause = pause
        self.look_outside(items, viewpoint)
        matrices = matrices_of(viewpoint, size, items)
        self.follow(items, look, matrices, height=size[1])
        self._programs.begin(*matrices, to_display=True)
        if look.is_viewed:
            self._use_view(look.view.name)
        self._key = _KEY if look.light is None else _unit(matrices[0][:3, :3] @ key_direction(look.light))
        target = self._targets.of(size, 4 if look.still else 0)
        target.drawn.use()
        self.ready_to_draw()
        target.drawn.clear(*look.background, 1.0)
        for item in items:
            self._draw_item(item, look)
        if look.still and items and look.mode in DARKENED:
            self._darken(items, viewpoint, look, target, matrices)
        if look.grid:
            target.drawn.use()
            self._ground.draw_grid(target.drawn, self._programs.get("wire"), look)
        return self._read(target)

    def _use_view(self, name: str) -> None:
        """Bring the table of a view into the graphics memory; the curve of sRGB needs none, but a texture is bound."""
        if self._view is None or self._view[0] != name:
            if self._view is not None:
                self._view[1].release()
            side = (view_transform.NODES,) * 3 if name else (1, 1, 1)
            values = view_transform.table(name).tobytes() if name else bytes(12)
            self._view = name, self._context.texture3d(side, 3, values, dtype="f4")
        self._view[1].use(_VIEW_UNIT)

    def _set_view(self, program: Any, view: ViewTransform) -> None:
        program["view_table"].value, program["by_table"].value = _VIEW_UNIT, bool(view.name)
        program["exposure"].value, program["power"].value = 2.0**view.exposure, 1.0 / view.gamma

    def _shade(self, items: Sequence[Item], light: float, target: Target, matrices: tuple[Any, Any]) -> None:
        """Darken what a key light does not reach."""
        upright = np.diag([1.0, -1.0, 1.0, 1.0])

        def render(matrix: Any) -> None:
            self._programs.begin(matrix, np.eye(4))
            for item in items:
                self._render(item, "wire", "triangles")

        view, projection = matrices
        self._ground.cast(items, light, (view, upright @ projection), self._occlusion.forms, render)
        self._programs.begin(*matrices, to_display=True)
        self._ground.apply(target.drawn)

    def look_outside(self, items: Sequence[Item], viewpoint: Viewpoint) -> None:
        """Find the items whose backs cannot be seen from a viewpoint."""
        eye = np.asarray(viewpoint.eye)
        if viewpoint.parallel:
            eye = eye + viewpoint.axes()[2] * 1e6 * max(1.0, viewpoint.parallel)
        self._outside = {
            item.id: drawer_of(item.geometry.component).is_seen_from_outside(item.geometry, eye) for item in items
        }

    def ready_to_draw(self) -> None:
        """Set what every picture needs of the context."""
        self._context.enable(moderngl.DEPTH_TEST)
        self._context.front_face = "cw"  # the picture is drawn upside down, so that rows come out from the top

    def _darken(
        self, items: Sequence[Item], viewpoint: Viewpoint, look: Look, target: Target, matrices: tuple[Any, Any]
    ) -> None:
        """Soft contact shadows, ambient occlusion and the shadow of the key light over what was drawn."""
        if not look.occlusion and not look.shadow:
            return
        self.draw_forms(items, target.size)
        if look.shadow and look.light is not None:
            self._shade(items, look.light, target, matrices)
        if not look.occlusion:
            return
        _, projection = matrices
        self._occlusion.find(projection, viewpoint.distance)
        self._occlusion.apply(target.drawn, DARKENED[look.mode], to_display=True)

    def draw_forms(self, items: Sequence[Item], size: tuple[int, int]) -> None:
        """Draw what occlusion looks at, for a picture of a size."""
        self._occlusion.begin(size)
        for item in items:
            if self._drawers[item.id].darkens:
                self._render(item, "forms", "triangles")

    def pick(
        self, items: Sequence[Item], viewpoint: Viewpoint, size: tuple[int, int], x: float, y: float
    ) -> Hit | None:
        """Find the surface under a pixel.

        Parameters
        ----------
        items : sequence of Item
            The shapes that are drawn.
        viewpoint : Viewpoint
            The camera.
        size : (int, int)
            Width and height of the picture, pixels.
        x, y : float
            The pixel, counted from the upper left corner.

        Returns
        -------
        Hit or None
            The item, triangle and copy; None for the background.
        """
        view, projection = matrices_of(viewpoint, size, items)
        # The one pixel fills the picture: nothing but what is under it is drawn.
        narrow = np.diag([float(size[0]), float(size[1]), 1.0, 1.0])
        narrow[0, 3], narrow[1, 3] = size[0] - 2 * x, size[1] - 2 * y
        projection = narrow @ projection
        eye, direction = viewpoint.ray(x + 0.5, y + 0.5, *size)
        ray = Ray(eye, direction, 2.0 / (abs(float(projection[1, 1]))), bool(viewpoint.parallel))
        self.follow(items, Look("shaded"), ray=ray)
        if self._pick is None:
            color = self._context.texture((1, 1), 4, dtype="u4")
            self._pick = self._context.framebuffer([color], self._context.depth_renderbuffer((1, 1)))
        self._pick.use()
        self._context.enable(moderngl.DEPTH_TEST)
        self._pick.clear()
        owners: list[tuple[Item, Batch]] = []
        self._programs.begin(view, projection)
        for item in items:
            self._render(item, "ids", "triangles", owners=owners)
        number, triangle, copy, _ = np.frombuffer(self._pick.color_attachments[0].read(), np.uint32)
        if not number:
            return None
        item, batch = owners[number - 1]
        if not batch.instances:
            return Hit(item.id, int(triangle))
        return Hit(item.id, int(triangle), int(copy if batch.chosen is None else batch.chosen[copy]))

    def release(self) -> None:
        """Give everything back; the renderer cannot be used any more."""
        self._take_thread()
        for drawer in self._drawers.values():
            drawer.release()
        self._drawers.clear()
        self._occlusion.release()
        self._ground.release()
        if self._view is not None:
            self._view[1].release()
        self._targets.release()
        self._context.release()
        _leave_thread()

    def _take_thread(self) -> None:
        """Make the context current: several renderers of one thread take turns."""
        self._context.__enter__()  # type: ignore[no-untyped-call]

    def follow(
        self,
        items: Sequence[Item],
        look: Look,
        matrices: tuple[Any, Any] | None = None,
        ray: Ray | None = None,
        height: int = 0,
        later: Mapping[str, Floats] = _NOTHING_LATER,
    ) -> None:
        """Bring what is drawn into the graphics memory. later: where points or copies are on the next frame, by item."""
        self._take_thread()
        self.uploads, self.stood_in = [], 0
        for gone in set(self._drawers) - {item.id for item in items}:
            self._drawers.pop(gone).release()
        for item in items:
            drawer = self._drawer(item)
            drawer.follow(
                item,
                Wanted(
                    look.mode == "wire",
                    look.mode == "pieces",
                    matrices,
                    height,
                    look.stand_ins,
                    ray,
                    later.get(item.id),
                ),
            )
            self.stood_in += drawer.stood_in
            self.uploads += [f"{item.id}.{name}" for name in drawer.uploads]

    def _drawer(self, item: Item) -> Drawer:
        """The drawer of an item: another one where its component has changed."""
        known, kind = self._drawers.get(item.id), drawer_of(item.geometry.component)
        if type(known) is not kind:
            if known is not None:
                known.release()
            known = self._drawers[item.id] = kind(self._context)
        return known

    def _render(
        self, item: Item, key: str, index: str, look: Look | None = None, owners: list[tuple[Item, Batch]] | None = None
    ) -> None:
        """Draw an item with the program of a name. owners: gets an entry for each number that is drawn."""
        drawer = self._drawers[item.id]
        for batch in drawer.batches(index):
            program = self._program(item, key, batch, drawer, look)
            if owners is not None:
                owners.append((item, batch))
                program["item"].value = len(owners)
            self._render_batch(program, batch, key in ("surface", "forms") and self._outside.get(item.id, False))

    def _render_batch(self, program: Any, batch: Batch, outside: bool) -> None:
        mode = moderngl.LINES if batch.lines else moderngl.TRIANGLES
        culled = batch.closed and outside
        if culled:
            self._context.enable(moderngl.CULL_FACE)
        batch.array(program).render(mode, instances=batch.instances or -1)
        if culled:
            self._context.disable(moderngl.CULL_FACE)
        if self._pause is not None and batch.instances >= _WORTH_WAITING:
            # What was handed over is drawn before anything newer could be looked for.
            self._context.finish()
            self._pause()

    def _program(self, item: Item, key: str, batch: Batch, drawer: Drawer, look: Look | None) -> Any:
        """The program that can do what a batch needs and no more, with its uniforms set."""
        mesh, abilities = batch.mesh, [drawer.ability] if drawer.ability else []
        if key != "surface" or look is None:
            return self._programs.get(key, *abilities)
        backed = mesh.has("back_color") or drawer.has_own("back_color")
        faced = mesh.by_faces or mesh.colors_by_faces
        viewed = look.is_viewed and self._programs.to_display
        program = self._programs.get(key, *abilities, *["BACKS"] * backed, *["FACES"] * faced, *["VIEW"] * viewed)
        if viewed:
            self._set_view(program, look.view)
        program["base_color"].value = item.color
        program["show_strength"].value = look.mode == "strength" and item.strength is not None
        program["key"].value = self._key
        program["use_own_color"].value = mesh.has("color")
        if backed:
            program["use_back_color"].value = mesh.has("back_color")
        if faced:
            mesh.use_faces(program, FACES_UNIT)
        if batch.instances:
            program["colored_copies"].value = drawer.has_own("color")
            if backed:
                program["backed_copies"].value = drawer.has_own("back_color")
        return program

    def _draw_item(self, item: Item, look: Look) -> None:
        self._palette.use(0)
        self._render(item, "surface", "triangles", look)
        self._draw_dots(item, look)
        if look.mode == "wire":
            for abilities in ((), ("COPIES",)):
                self._programs.get("wire", *abilities)["ink"].value = (0.15, 0.14, 0.12, 0.5)
            self._context.enable(moderngl.BLEND)
            self._render(item, "wire", "edges")
            self._context.disable(moderngl.BLEND)

    def _draw_dots(self, item: Item, look: Look) -> None:
        """Draw what is so small in this picture that it is a single point."""
        drawer = self._drawers[item.id]
        dots = drawer.dots()
        if dots is None:
            return
        viewed = look.is_viewed and self._programs.to_display
        program = self._programs.get("points", *["VIEW"] * viewed)
        if viewed:
            self._set_view(program, look.view)
        program["base_color"].value = item.color
        program["show_strength"].value = look.mode == "strength" and item.strength is not None
        program["colored_copies"].value = drawer.has_own("color")
        self._context.enable(moderngl.PROGRAM_POINT_SIZE)
        dots(program).render(moderngl.POINTS)
        self._context.disable(moderngl.PROGRAM_POINT_SIZE)

    def _read(self, target: Target) -> Picture:
        width, height = target.size
        if target.samples:
            self._context.copy_framebuffer(target.read, target.drawn)
        out = np.empty((height, width, 4), np.uint8)
        target.read.read_into(out, components=4)
        return out


def _leave_thread() -> None:
    """Take a released context off this thread: as long as it is current there, its memory is kept (EGL 1.5, 3.7.3.2)."""
    try:
        ctypes.CDLL("libEGL.so.1").eglReleaseThread()
    except (OSError, AttributeError):
        return  # a driver of another make: it may keep some memory until the program ends


def _unit(vector: Any) -> tuple[float, float, float]:
    x, y, z = (float(part) for part in vector / np.linalg.norm(vector))
    return x, y, z
