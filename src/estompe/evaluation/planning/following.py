"""Placing parts of a scene on a frame: prims of animated files that they follow, parents, and times of their own."""

from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from msgspec import structs

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.resolving import Resolver
from estompe.document.scene import Camera, Control, Follow, Followed, Scene, Shape, Transform
from estompe.document.transforms import composed, matrix_of
from estompe.geometry.transforms import Matrix
from estompe.importing.footage import Footage, opened, stamp_of
from estompe.importing.link import Reading
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.numbers import plain

Part = TypeVar("Part")


def portable(source: Any) -> Any:
    """A shape source as it is on any machine: what is in its file is told by the file's fingerprint, not by where it lies."""
    return structs.replace(source, file=Path(source.file).name) if source.animated else source


class Following:
    """Places parts of one scene on one frame.

    lost: why something could not be followed, by the path of the part that follows it; stamps: the states of the files that were
    looked at, by how they are read.
    """

    def __init__(self, scene: Scene, frame: float, resolver: Resolver) -> None:
        self._scene, self._frame = scene, frame
        self._resolvers = {frame: resolver}
        self._worlds: dict[tuple[str, float], Matrix] = {}
        self.lost: dict[ScenePath, str] = {}
        self.stamps: dict[Any, object] = {}

    def footage(self, file: str) -> Footage:
        """An animated file. Raises CannotEvaluateError."""
        reading = Reading.of(file, self._scene)
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
            transform = self._resolver(frame).part((*path, "transform"))
        return self._replaced(item, "transform", self._transform(transform, frame, path))

    def _transform(self, transform: Transform, frame: float, path: ScenePath) -> Transform:
        base = self._followed(transform.follows, frame, path)
        if transform.parent is not None:
            base = self._within_parent(transform.parent, base, frame, path)
        placed: Transform = self._replaced(transform, "follows", base)
        return placed

    def _within_parent(self, parent: str, base: Followed | None, frame: float, path: ScenePath) -> Followed | None:
        """Where a part's parent is on a frame, with what the part follows itself inside it."""
        try:
            outer = self._world(parent, frame, path[1:2])
        except CannotEvaluateError as error:
            self.lost[path] = str(error)
            return base
        inner = None if base is None else np.array(base.rows).reshape(3, 4)
        rows = outer if inner is None else composed(outer, inner)
        return Followed(tuple(float(value) for value in rows.reshape(-1)))

    def _world(self, name: str, frame: float, below: tuple[str | int, ...]) -> Matrix:
        """Local space to world of a control or shape on a frame. Raises CannotEvaluateError."""
        if name in below:
            raise CannotEvaluateError("its parent is below itself: choose another parent")
        known = self._worlds.get((name, frame))
        if known is not None:
            return known
        family = next((item for item in ("controls", "shapes") if edits.exists(self._scene, (item, name))), None)
        if family is None:
            raise CannotEvaluateError("its parent is not in the scene any more: choose another one")
        own_time = self._resolver(frame).part((family, name, "at_frame"))
        at = frame if own_time is None else plain(own_time)
        transform: Transform = self._resolver(at).part((family, name, "transform"))
        base = self._followed(transform.follows, at, (family, name))
        world = matrix_of(structs.replace(transform, follows=base))
        if transform.parent is not None:
            world = composed(self._world(transform.parent, at, (*below, name)), world)
        self._worlds[name, frame] = world
        return world

    def _resolver(self, frame: float) -> Resolver:
        if frame not in self._resolvers:
            self._resolvers[frame] = Resolver(self._scene, frame)
        return self._resolvers[frame]

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
            return Followed(rows, seen.view_angle, seen.aspect, seen.offset, seen.clipping, seen.parallel)
        except CannotEvaluateError as error:
            self.lost[path] = str(error)
            return None

    @staticmethod
    def _replaced(part: Any, name: str, value: Any) -> Any:
        return part if getattr(part, name) is value else structs.replace(part, **{name: value})
