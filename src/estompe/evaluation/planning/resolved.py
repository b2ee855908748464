"""A scene on one frame: its parts with plain numbers, by id. Nothing here is computed twice, and nothing needs a memo."""

from collections.abc import Iterator
from typing import Any

import numpy as np

from estompe.document import edits
from estompe.document.edits import EditError, ScenePath
from estompe.document.project import Project
from estompe.document.resolving import Reduce, Resolver
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Scene, Shape, seconds_at
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning.following import Following
from estompe.geometry import frozen
from estompe.importing.footage import Footage
from estompe.kernels.types import Floats
from estompe.kinds.context import Blowing, CannotEvaluateError, Placed
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import plain

_NOWHERE: Floats = frozen(np.zeros((0, 3), np.float32))


class ResolvedScene:
    """Parts of a project's scene on a frame. rough: how many times as large voxels may be.

    Parts can be asked for while the scene as a whole is still being resolved, since formulas may measure falloffs.
    """

    def __init__(self, project: Project, frame: float, reduce: Reduce, rough: float = 1.0) -> None:
        self.project, self.frame, self.rough = project, frame, rough
        self.seconds = seconds_at(project.scene, frame)
        self._resolver = Resolver(project.scene, frame, reduce)
        self._parts: dict[ScenePath, Any] = {}
        self._placed: dict[str, Placed] = {}
        # Empty while numbers are still being computed.
        self._shapes: dict[str, Shape] = {}
        self._controls: dict[str, Control] = {}
        self._falloffs: dict[str, Falloff] = {}
        self.errors = self._resolver.errors
        self._following = Following(project.scene, frame, self._resolver)
        self.lost = self._following.lost

    def resolve(self) -> None:
        """Resolve the whole scene; formulas may ask for reductions meanwhile."""
        self.scene: Scene = self._following.placed(self._resolver.scene(), ())
        self._shapes = {item.id: item for item in self.scene.shapes}
        self._controls = {item.id: item for item in self.scene.controls}
        self._falloffs = {item.id: item for item in self.scene.falloffs}

    @property
    def camera(self) -> Camera:
        """The camera."""
        return self._part(("camera",))  # type: ignore[no-any-return]

    def control(self, control: str) -> Control:
        """A control. Raises CannotEvaluateError."""
        return self._controls.get(control) or self._named("controls", control, "it looks at a control")  # type: ignore[no-any-return]

    def placed(self, control: str) -> Placed:
        """A control as kinds see it. Raises CannotEvaluateError."""
        found = self._placed.get(control)
        if found is None:
            item = self.control(control)
            points = np.asarray(item.points, np.float32).reshape(-1, 3) if item.points else _NOWHERE
            blowing = _blowing(item, self.seconds) if item.form == "wind" else None
            found = self._placed[control] = Placed(item.form, matrix_of(item.transform), points, blowing)
        return found

    def falloff(self, falloff: str) -> Falloff:
        """A falloff. Raises CannotEvaluateError."""
        return self._falloffs.get(falloff) or self._named("falloffs", falloff, "it uses a falloff")  # type: ignore[no-any-return]

    def shape(self, shape: str) -> Shape:
        """A shape. Raises CannotEvaluateError."""
        return self._named("shapes", shape, "it looks at a shape")  # type: ignore[no-any-return]

    def bare_shape(self, shape: str) -> Shape:
        """A shape whose effects are not to be looked at: their numbers may be what is being computed.

        Raises CannotEvaluateError.
        """
        if shape in self._shapes:
            return self._shapes[shape]
        path: ScenePath = ("shapes", shape)
        whole = self._unresolved(path)
        source, transform = self._part((*path, "source")), self._part((*path, "transform"))
        return Shape(whole.id, whole.name, source, transform, color=whole.color)

    def own_time(self, shape: str) -> float | None:
        """The frame of itself that a shape shows, if it is on a time of its own. Raises CannotEvaluateError."""
        known = self._shapes.get(shape)
        number = known.at_frame if known is not None else self._part(("shapes", shape, "at_frame"))
        return None if number is None else plain(number)

    def enabled_slots(self, shape: str) -> Iterator[EffectSlot]:
        """A shape's enabled effects, each resolved when it is asked for. Raises CannotEvaluateError."""
        if shape in self._shapes:
            yield from (slot for slot in self._shapes[shape].effects if slot.enabled)
            return
        path: ScenePath = ("shapes", shape)
        for slot in self._unresolved(path).effects:
            if slot.enabled:
                yield self._part((*path, "effects", slot.id))

    def slot(self, shape: str, slot: str) -> EffectSlot:
        """One of a shape's effects. Raises EditError."""
        return self._part(("shapes", shape, "effects", slot))  # type: ignore[no-any-return]

    def effect(self, effect: str) -> Effect:
        """An effect's settings. Raises CannotEvaluateError."""
        for shape in self.project.scene.shapes:
            if any(item.id == effect for item in shape.effects):
                return self._part(("shapes", shape.id, "effects", effect)).effect  # type: ignore[no-any-return]
        raise CannotEvaluateError("it looks at an effect that is not in the scene any more: choose another")

    def footage(self, file: str) -> Footage:
        """An animated file. Raises CannotEvaluateError."""
        return self._following.footage(file)

    @property
    def footages(self) -> dict[str, object]:
        """The states of the animated files that were looked at, by how they are read."""
        return self._following.stamps

    def number(self, parts: tuple[str, ...]) -> float:
        """A number by its dotted name. Raises LookupError."""
        return self._resolver.number(parts)

    def part(self, path: ScenePath) -> Any:
        """A part of the scene with plain numbers. Raises EditError, and CannotEvaluateError where it depends on itself."""
        return self._part(path)

    def _unresolved(self, path: ScenePath) -> Shape:
        try:
            shape: Shape = edits.get(self.project.scene, path)
        except EditError:
            raise CannotEvaluateError("the shape is not in the scene") from None
        return shape

    def _named(self, family: str, item: str, words: str) -> Any:
        try:
            return self._part((family, item))
        except EditError:
            raise CannotEvaluateError(f"{words} that is not in the scene any more: choose another") from None

    def _part(self, path: ScenePath) -> Any:
        if path not in self._parts:
            try:
                part = self._resolver.part(path)
            except EditError:
                raise
            except LookupError as error:
                raise CannotEvaluateError(f"{error}; change one of these formulas") from None
            self._parts[path] = self._following.placed(part, path)
        return self._parts[path]


def _blowing(control: Control, seconds: float) -> Blowing:
    """What a wind is at a time."""
    wind = control.wind
    speed, gusts, swirl = plain(wind.speed), plain(wind.gusts), plain(wind.swirl)
    return Blowing(speed, gusts, swirl, wind.size, wind.pace, wind.seed, wind.within, seconds)
