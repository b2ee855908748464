"""Numbers as they are on the current frame, and editing them: fixed, keyed or following another."""

from functools import reduce
from typing import Any

from msgspec import structs
from PyQt6.QtCore import QObject

from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.messages import Messages
from estompe.app.model.playhead import Playhead
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.naming import spoken
from estompe.document.resolving import Resolver
from estompe.document.scene import Control, Followed, Scene, Transform
from estompe.document.transforms import composed, matrix_of
from estompe.kinds.numbers import Formula, Keyed, Number, with_key, without_keys
from estompe.setups.parenting import ancestors, transforms_of

_TRAVELS = ("passed",)
"""Numbers whose new keys are linear, since something travels by them."""


def placed_like(now: Scene, answered: Scene) -> Scene:
    """A scene whose shapes, controls and camera follow what those of an answered one follow."""
    changes: dict[str, Any] = {}
    for family in ("shapes", "controls"):
        there = {item.id: item.transform for item in getattr(answered, family)}
        items = tuple(_item_like(item, there.get(item.id)) for item in getattr(now, family))
        if any(a is not b for a, b in zip(items, getattr(now, family), strict=True)):
            changes[family] = items
    if now.camera.follows is not None and now.camera.name == answered.camera.name:
        changes["camera"] = structs.replace(now.camera, follows=answered.camera.follows)
    return _in_parents(structs.replace(now, **changes) if changes else now, now)


def _in_parents(placed: Scene, now: Scene) -> Scene:
    """A scene with its parts where their parents are now, which may be newer than the answer.

    A part stays as it was answered where it or one of its parents follows a file or is on a time of its own.
    """
    transforms = transforms_of(now)
    bound = {name for name, transform in transforms.items() if transform.follows is not None}
    bound |= {item.id for family in (now.controls, now.shapes) for item in family if item.at_frame is not None}
    changes: dict[str, Any] = {}
    for family in ("shapes", "controls"):
        items = list(getattr(placed, family))
        for place, item in enumerate(items):
            if item.transform.parent is None:
                continue
            above = ancestors(transforms, item.id)
            if above and bound.isdisjoint((item.id, *above)):
                rows = reduce(composed, [matrix_of(transforms[name]) for name in reversed(above)])
                base = Followed(tuple(float(value) for value in rows.reshape(-1)))
                items[place] = structs.replace(item, transform=structs.replace(transforms[item.id], follows=base))
                changes[family] = tuple(items)
    return structs.replace(placed, **changes) if changes else placed


def _item_like(item: Any, there: Transform | None) -> Any:
    if there is None:
        return item
    if isinstance(item, Control) and item.at_frame is not None:
        return structs.replace(item, transform=there)
    if item.transform.follows is None:
        return item
    return structs.replace(item, transform=structs.replace(item.transform, follows=there.follows))


class Numbers(QObject):
    """linking: the path of the number that waits for the one it should follow, or None."""

    def __init__(
        self,
        document: DocumentModel,
        playhead: Playhead,
        evaluator: Evaluator,
        messages: Messages,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._playhead, self._evaluator, self._messages = document, playhead, evaluator, messages
        self.linking: ScenePath | None = None
        self._now = Scene()
        self._now_for: tuple[object, ...] = (None, None, None)
        self._placed = Scene()
        self._placed_for: tuple[object, object] = (None, None)

    def begin(self) -> None:
        """Let go of what belonged to the project before."""
        self.linking = None

    @property
    def now(self) -> Scene:
        """The scene with plain numbers for the current frame; reductions are those of the newest answer."""
        key = (self._document.scene, self._playhead.frame, self._evaluator.answer)
        if any(a is not b for a, b in zip(key, self._now_for, strict=True)):
            self._now = Resolver(self._document.scene, self._playhead.frame, self._evaluator.reduction).scene()
            self._now_for = key
        return self._now

    @property
    def placed(self) -> Scene:
        """The same, with what follows a file, or is on a time of its own, where the newest answer found it."""
        now, answer = self.now, self._evaluator.answer
        if self._placed_for[0] is not now or self._placed_for[1] is not answer:
            self._placed = now if answer is None else placed_like(now, answer.frame.scene)
            self._placed_for = now, answer
        return self._placed

    def number(self, path: ScenePath) -> float:
        """A number's value on the current frame."""
        return float(edits.get(self.now, path))

    def set_number(self, path: ScenePath, value: float, label: str, merge_key: object = None) -> None:
        """Set a number: on a keyed one, the key of the current frame."""
        self.set_numbers([(path, value)], label, merge_key)

    def set_numbers(self, numbers: list[tuple[ScenePath, float]], label: str, merge_key: object = None) -> None:
        """Set several numbers as one step; keyed ones get a key on the current frame."""
        scene = self._document.scene
        for path, value in numbers:
            number = edits.get(scene, path)
            if isinstance(number, Formula):
                name = self._document.name_of(path)
                self._messages.say(f"{name} follows the formula {number.text}: change that", "warning")
                continue
            new = self._keyed(path, number, value) if isinstance(number, Keyed) else value
            scene = edits.put(scene, path, new)
        self._document.commit(scene, label, merge_key)

    def toggle_key(self, path: ScenePath) -> None:
        """Put a key on the current frame, or remove the one that is there."""
        self.toggle_keys([path])

    def toggle_keys(self, paths: list[ScenePath]) -> None:
        """Put keys on several numbers at once; where all have one on this frame, remove them."""
        scene = self._document.scene
        numbers = [edits.get(scene, path) for path in paths]
        there = all(self.has_key(number) for number in numbers)
        for path, number in zip(paths, numbers, strict=True):
            if there:
                scene = edits.put(scene, path, without_keys(number, {float(self._playhead.frame)}))
            else:
                scene = edits.put(scene, path, self._keyed(path, number, self.number(path)))
        one_triple = len({path[:-1] for path in paths}) == 1 and len(paths) > 1
        what = self._document.name_of(paths[0][:-1] if one_triple else paths[0])
        self._document.commit(scene, f"{'Remove key' if there else 'Key'} {what}")

    def _keyed(self, path: ScenePath, number: Number, value: float) -> Keyed:
        """A number with a key on the current frame: linear where something travels, else smooth."""
        return with_key(number, self._playhead.frame, value, "linear" if path[-1] in _TRAVELS else "smooth")

    def has_key(self, number: object) -> bool:
        """Whether a number has a key on the current frame."""
        return isinstance(number, Keyed) and any(key.frame == self._playhead.frame for key in number.keys)

    def begin_link(self, path: ScenePath) -> None:
        """The next number that is clicked is what this one follows."""
        self.linking = path
        name = self._document.name_of(path)
        self._messages.say(f"Click the number {name} should follow; press Esc to cancel", "warning")

    def link_to(self, path: ScenePath) -> None:
        """Let the number that waits for it follow another one."""
        follower, self.linking = self.linking, None
        if follower is None or follower == path:
            return
        scene, name = self._document.scene, self._document.name_of
        linked = edits.put(scene, follower, Formula(spoken(scene, path)))
        errors = Resolver(linked, self._playhead.frame, self._evaluator.reduction).scene_errors()
        if follower in errors:
            self._messages.say(f"{name(follower)}: {errors[follower]}", "error")
            return
        self._document.commit(linked, f"Link {name(follower)} to {name(path)}")
