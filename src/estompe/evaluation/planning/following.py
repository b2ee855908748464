"""What follows prims of animated files, and what is on a time of its own, brought to where it is on a frame."""

from pathlib import Path
from typing import Any, TypeVar

from msgspec import structs

from estompe.document.edits import ScenePath
from estompe.document.resolving import Resolver
from estompe.document.scene import Camera, Control, Follow, Followed, Scene, Shape, Transform
from estompe.importing.footage import Footage, opened, stamp_of
from estompe.importing.link import Reading
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.numbers import plain

Part = TypeVar("Part")


def portable(source: Any) -> Any:
    """A shape source as it is on any machine: what is in its file is told by the file's fingerprint, not by where it lies."""
    return structs.replace(source, file=Path(source.file).name) if source.animated else source


class Following:
    """Places parts of one scene on one frame. lost: what could not be followed, in words, by the path of who follows it.

    stamps: the states of the files that were looked at, by how they are read.
    """

    def __init__(self, scene: Scene, frame: float) -> None:
        self._scene, self._frame = scene, frame
        self.lost: dict[ScenePath, str] = {}
        self.stamps: dict[Any, object] = {}

    def footage(self, file: str) -> Footage:
        """An animated file. Raises CannotEvaluateError."""
        reading = Reading(file, self._scene.metres_per_unit, self._scene.frames_per_second)
        self.stamps[reading] = None
        found = opened(reading)
        self.stamps[reading] = stamp_of(reading)
        return found

    def placed(self, part: Part, path: ScenePath) -> Part:
        """A resolved part of the scene, with what it follows in place."""
        made: Any = part
        if isinstance(part, Scene):
            made = self._scene_placed(part)
        elif isinstance(part, Control | Shape):
            made = self._timed(part, path)
        elif isinstance(part, Transform):
            made = self._transform(part, self._frame, path[:-1])
        elif isinstance(part, Camera):
            made = self._replaced(part, "follows", self._followed(part.follows, self._frame, path, lens=True))
        return made  # type: ignore[no-any-return]

    def _scene_placed(self, scene: Scene) -> Scene:
        changes: dict[str, Any] = {}
        for family in ("shapes", "controls"):
            items = getattr(scene, family)
            placed = tuple(self.placed(item, (family, item.id)) for item in items)
            if any(a is not b for a, b in zip(items, placed, strict=True)):
                changes[family] = placed
        others = tuple(self.placed(item, ("other_cameras", k)) for k, item in enumerate(scene.other_cameras))
        if any(a is not b for a, b in zip(scene.other_cameras, others, strict=True)):
            changes["other_cameras"] = others
        camera = self.placed(scene.camera, ("camera",))
        if camera is not scene.camera:
            changes["camera"] = camera
        return structs.replace(scene, **changes) if changes else scene

    def _timed(self, item: Any, path: ScenePath) -> Any:
        """A control or shape where it stands, on a time of its own if it has one."""
        frame, transform = self._frame, item.transform
        if item.at_frame is not None:
            frame = plain(item.at_frame)
            transform = Resolver(self._scene, frame).part((*path, "transform"))
        return self._replaced(item, "transform", self._transform(transform, frame, path))

    def _transform(self, transform: Transform, frame: float, path: ScenePath) -> Transform:
        placed: Transform = self._replaced(transform, "follows", self._followed(transform.follows, frame, path))
        return placed

    def _followed(self, follows: Any, frame: float, path: ScenePath, lens: bool = False) -> Any:
        """Where what is followed is; None, and words in `lost`, where that cannot be had."""
        if not isinstance(follows, Follow):
            return follows
        try:
            footage = self.footage(follows.file)
            matrix = footage.matrix(follows.prim, frame)
            rows = tuple(float(value) for value in matrix[:3].reshape(-1))
            if not lens:
                return Followed(rows)
            seen = footage.lens(follows.prim, frame)
            return Followed(rows, seen.view_angle, seen.aspect, seen.offset, seen.clipping)
        except CannotEvaluateError as error:
            self.lost[path] = str(error)
            return None

    @staticmethod
    def _replaced(part: Any, name: str, value: Any) -> Any:
        return part if getattr(part, name) is value else structs.replace(part, **{name: value})
