"""Drawing the frames of a scene for files: colour with alpha, motion blur by sub-frames, and data layers."""

from collections.abc import Callable, Mapping
from types import TracebackType
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import check_sound
from estompe.document.project import Project
from estompe.evaluation import Frame, evaluate
from estompe.evaluation.time.past import Past
from estompe.files.progress import ExchangeError
from estompe.geometry.colors import linear_of
from estompe.output import mattes
from estompe.output.mattes import Counted, Matte
from estompe.render.final import FinalRenderer, Image
from estompe.render.item import Look
from estompe.render.picture import items_of
from estompe.render.tiles import jitters
from estompe.render.view_transform import PLAIN, ViewError, ViewTransform, shown
from estompe.render.viewpoint import Viewpoint

LAYERS = ("depth", "normal", "id", "motion", *mattes.LAYERS)
"""Layers besides `strength:NAME`."""
_BLURRED = 8
_WITHIN = ((-0.125, -0.375), (0.375, -0.125), (-0.375, 0.125), (0.125, 0.375))
"""Where the four samples of a draw lie within the pixel: the pattern that graphics drivers have in common."""
_NO_MATTES: Mapping[str, Matte] = {}
Go = Callable[[], None]


class Settings(NamedTuple):
    """How pictures are drawn.

    size: width and height, pixels. samples: draws with offsets within the pixel. shutter: how long it is open, frames; 0 for no
    motion blur. layers: of `LAYERS` and `strength:NAME`. falloff: the id of the one whose strength is shown instead of colours.
    background: 0..1, behind what is seen; None for none. view: the name of a
    view transform for files of display values.
    """

    size: tuple[int, int]
    samples: int = 1
    shutter: float = 0.0
    layers: tuple[str, ...] = ()
    falloff: str | None = None
    background: tuple[float, float, float] | None = None
    view: str = ""


class Painted(NamedTuple):
    """A picture: colour in premultiplied linear light, float32 (h, w, 4); and arrays (h, w) or (h, w, k) by layer.

    shapes: the name of each shape by its number in the id layer; viewpoint: where it was taken from; frame, rate: its frame and
    the frames a second; mattes: layers of ids with coverage, by name.
    """

    color: Image
    layers: dict[str, NDArray[Any]]
    shapes: dict[int, str]
    viewpoint: Viewpoint | None = None
    frame: float = 0.0
    rate: float = 24.0
    mattes: Mapping[str, Matte] = _NO_MATTES
    view: ViewTransform = PLAIN


class Painter:
    """Draws frames of one scene, on the thread that made it; to be closed, unless it was given a renderer."""

    def __init__(self, project: Project, settings: Settings, past: Past, renderer: FinalRenderer | None = None) -> None:
        self._project, self._settings, self._past = project, settings, past
        _check(project, settings)
        self._owns = renderer is None
        self._renderer = FinalRenderer() if renderer is None else renderer
        self._frames: dict[float, Frame] = {}

    def __enter__(self) -> "Painter":
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        if self._owns:
            self._renderer.release()

    def paint(self, number: float, pause: Go = lambda: None) -> Painted:
        """A frame. pause: called between draws, may raise. Raises ExchangeError for a scene with problems."""
        frame = self._frame(number)
        color = self._color(number, pause)
        if self._settings.background is not None:
            color = _over(color, self._settings.background)
        layers = self._layers(frame, pause) if set(self._settings.layers) - set(mattes.LAYERS) else {}
        shapes = [shape for shape in frame.scene.shapes if shape.visible]
        named = {index: shape.name for index, shape in enumerate(shapes, start=1)}
        viewpoint, rate = Viewpoint.of_camera(frame.scene.camera), frame.scene.frames_per_second
        view = ViewTransform(self._settings.view) if self._settings.falloff is None else PLAIN
        return Painted(color, layers, named, viewpoint, number, rate, self._mattes(number, named, pause), view)

    def _frame(self, number: float) -> Frame:
        if number not in self._frames:
            while len(self._frames) > 3:
                self._frames.pop(next(iter(self._frames)))
            frame = evaluate(self._project, number, self._past.memo, None, self._past)
            check_sound(frame, f"frame {number:g} cannot be drawn", self._past)
            self._frames[number] = frame
        return self._frames[number]

    def _color(self, number: float, pause: Go) -> Image:
        settings = self._settings
        look = Look("strength" if settings.falloff is not None else "shaded")
        if settings.shutter <= 0:
            return self._drawn(number, look, settings.samples, pause)
        total = np.zeros((settings.size[1], settings.size[0], 4), np.float32)
        moments = self._moments(number)
        for moment, offset in moments:
            total += self._drawn(moment, look, 1, pause, offset)
        return total / np.float32(len(moments))

    def _drawn(
        self, number: float, look: Look, samples: int, pause: Go, offset: tuple[float, float] | None = None
    ) -> Image:
        frame = self._frame(number)
        items = items_of(frame, self._settings.falloff)
        viewpoint = Viewpoint.of_camera(frame.scene.camera)
        return self._renderer.color(items, viewpoint, look, self._settings.size, samples, pause, offset=offset)

    def _layers(self, frame: Frame, pause: Go) -> dict[str, NDArray[Any]]:
        settings = self._settings
        found: dict[str, NDArray[Any]] = {}
        strengths = [name.partition(":")[2] for name in settings.layers if name.startswith("strength:")]
        viewpoint = Viewpoint.of_camera(frame.scene.camera)
        later = None
        if "motion" in settings.layers:
            after = self._frame(frame.number + 1)
            later = items_of(after), Viewpoint.of_camera(after.scene.camera)
        # The first strength comes with everything else.
        first = frame.falloff(strengths[0]).id if strengths else None
        drawn = self._renderer.layers(items_of(frame, first), viewpoint, settings.size, later, pause)
        for name in strengths[:1]:
            found[f"strength:{name}"] = drawn.strength
        for name in strengths[1:]:
            items = items_of(frame, frame.falloff(name).id)
            found[f"strength:{name}"] = self._renderer.strength(items, viewpoint, settings.size, pause)
        metres = np.float32(self._project.scene.metres_per_unit)
        # By convention nothing is infinitely far: nearer than everything it would hide what is merged behind it.
        depth = np.where(drawn.depth > 0.0, drawn.depth * metres, np.float32(np.inf)).astype(np.float32)
        whole: dict[str, NDArray[Any]] = {"depth": depth, "normal": drawn.normal, "motion": drawn.motion,
                 "id": np.stack([drawn.shape, drawn.element], axis=-1)}  # fmt: skip
        found.update({name: whole[name] for name in settings.layers if name in whole})
        return {name: found[name] for name in settings.layers if name in found}

    def _mattes(self, number: float, shapes: dict[int, str], pause: Go) -> dict[str, Matte]:
        """The layers of mattes that are asked for: ids of many draws, each at another place in the pixel and another moment."""
        settings = self._settings
        counted = {name: Counted(settings.size) for name in mattes.LAYERS if name in settings.layers}
        if not counted:
            return {}
        for moment, (x, y) in self._moments(number):
            frame = self._frame(moment)
            items, viewpoint = items_of(frame), Viewpoint.of_camera(frame.scene.camera)
            for right, down in _WITHIN:
                pause()
                shape, element = self._renderer.ids(items, viewpoint, settings.size, (x + right, y + down))
                for name, pixels in counted.items():
                    pixels.add(shape, element if name == "matte-elements" else np.zeros_like(element))
        return {name: pixels.matte(shapes) for name, pixels in counted.items()}

    def _moments(self, number: float) -> list[tuple[float, tuple[float, float]]]:
        """The moment of each draw of a frame while the shutter is open, and its place within the pixel."""
        shutter, samples = self._settings.shutter, self._settings.samples
        count = max(samples, _BLURRED) if shutter > 0 else samples
        return [
            (number + shutter * ((index + 0.5) / count - 0.5), offset) for index, offset in enumerate(jitters(count))
        ]


def _check(project: Project, settings: Settings) -> None:
    """Raise ExchangeError for a layer or view that there is not."""
    try:
        shown(np.zeros((1, 3), np.float32), ViewTransform(settings.view))
    except ViewError as error:
        raise ExchangeError(str(error)) from None
    names = {falloff.name for falloff in project.scene.falloffs} | {falloff.id for falloff in project.scene.falloffs}
    for layer in settings.layers:
        kind, _, name = layer.partition(":")
        if kind == "strength" and name in names:
            continue
        if layer not in LAYERS:
            known = ", ".join((*LAYERS, *(f"strength:{falloff.name}" for falloff in project.scene.falloffs)))
            raise ExchangeError(f"there is no layer “{layer}”; there are {known}")


def _over(color: Image, background: tuple[float, float, float]) -> Image:
    """A picture over a background that is given in display values."""
    linear = linear_of(np.array(background, np.float32))
    made = color.copy()
    made[..., :3] += (1 - color[..., 3:]) * linear
    made[..., 3] = 1.0
    return made
