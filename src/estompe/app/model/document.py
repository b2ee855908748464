"""The project with its history: every edit goes through here."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.messages import Messages
from estompe.document import edits
from estompe.document.check import SceneError, check_change
from estompe.document.edits import ScenePath
from estompe.document.history import History
from estompe.document.project import Project
from estompe.document.renaming import rename, with_unique_names
from estompe.document.scene import Scene
from estompe.document.variants import Variant
from estompe.kinds.numbers import Formula, Keyed
from estompe.kinds.settings import Setting, setting_named

# Fields that a name in words steps over.
_SILENT = {"transform", "effect", "source", "effects", "layers", "routes"}


class DocumentModel(QObject):
    """scene_changed(old, new) after each edit; project_changed() when another project or file is open.

    variants_changed() when others are kept beside the scene.
    """

    scene_changed = pyqtSignal(object, object)
    project_changed = pyqtSignal()
    variants_changed = pyqtSignal()

    def __init__(self, messages: Messages, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._messages = messages
        self.path: Path | None = None
        self.title = "untitled"
        self.started = False
        self.stamp: tuple[int, int] | None = None
        """When the scene's own file was written and how large it was, as far as this window knows."""
        self.undo_depth = 0
        self._assets: dict[str, Any] = {}
        self._saved: Scene | None = None
        self._saved_variants: tuple[Variant, ...] = ()
        self._history = self._new_history(Scene(), ())

    def _new_history(self, scene: Scene, variants: tuple[Variant, ...]) -> History:
        made = History(scene, self.undo_depth, variants)
        made.subscribe(self.scene_changed.emit)
        made.subscribe_to_variants(self.variants_changed.emit)
        return made

    @property
    def scene(self) -> Scene:
        return self._history.scene

    @property
    def variants(self) -> tuple[Variant, ...]:
        """The scenes that are kept beside this one."""
        return self._history.variants

    @property
    def project(self) -> Project:
        return Project(self.scene, self._assets, self.variants)

    @property
    def unsaved(self) -> bool:
        """Whether the scene differs from what is in its file."""
        if self.variants != self._saved_variants:
            return True
        return self.scene is not self._saved and self.scene != (self._saved or Scene())

    @property
    def undo_label(self) -> str | None:
        return self._history.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._history.redo_label

    def still_open(self) -> Callable[[], bool]:
        """What tells later whether the document that is open now is still the one that is open then."""
        history = self._history
        return lambda: self._history is history

    def begin(self, project: Project, path: Path | None, title: str, saved: bool) -> None:
        """Go on with another project; its history starts here. The caller emits the signals."""
        self.stamp = None
        self._history = self._new_history(project.scene, project.variants)
        self._assets = dict(project.assets)
        self._saved = project.scene if saved else None
        self._saved_variants = project.variants if saved else ()
        self.path, self.title, self.started = path, title, True

    def saved_as(self, path: Path, scene: Scene) -> None:
        """Take note that this scene is now in that file."""
        self.path, self.title, self._saved = path, path.name, scene
        self._saved_variants = self.variants
        self.project_changed.emit()

    def set_undo_depth(self, depth: int) -> None:
        """How many steps can be undone; 0 for all."""
        self.undo_depth = depth
        self._history.set_depth(depth)

    def set_variants(self, variants: tuple[Variant, ...], label: str) -> None:
        """Keep other variants beside the scene, as a step of that name."""
        self.started = True
        self._history.commit(self.scene, label, None, variants)

    def add_assets(self, assets: dict[str, Any]) -> None:
        """Keep arrays that scenes to come refer to."""
        self._assets = {**self._assets, **assets}

    def asset(self, name: str) -> Any:
        """An array beside the scene, or None."""
        return self._assets.get(name)

    def commit(self, scene: Scene, label: str, merge_key: object = None) -> None:
        """Make a scene the current one, as a step of that name. A scene that could not be reopened is rejected, and said so."""
        scene = edits.in_order(scene, self.scene)
        if any(getattr(scene, name) is not getattr(self.scene, name) for name in ("shapes", "controls", "falloffs")):
            scene = with_unique_names(scene)
        try:
            check_change(scene, self.scene)
        except SceneError as error:
            self._messages.say(f"{label}: {error}", "error")
            return
        self.started = True
        self._history.commit(scene, label, merge_key)

    def put(self, path: ScenePath, value: object, label: str, merge_key: object = None) -> None:
        """Replace one part of the scene; a name goes on being right in every formula that uses it."""
        if path[-1:] == ("name",) and isinstance(value, str):
            self.commit(rename(self.scene, path[:-1], value), label, merge_key)
            return
        self.commit(edits.put(self.scene, path, value), label, merge_key)

    @property
    def in_gesture(self) -> bool:
        """Whether the last step may still grow, as while something is dragged."""
        return self._history.in_gesture

    def end_gesture(self) -> None:
        """The next commit is a step of its own."""
        self._history.end_gesture()

    def undo(self) -> None:
        """Take the last step back."""
        label = self.undo_label
        self._history.undo()
        if label:
            self._messages.say(f"undid {label}")

    def redo(self) -> None:
        """Do the last undone step again."""
        label = self.redo_label
        self._history.redo()
        if label:
            self._messages.say(f"redid {label}")

    @property
    def steps(self) -> tuple[str, ...]:
        """The names of all steps, done and undone, the oldest first."""
        return self._history.labels

    @property
    def steps_done(self) -> int:
        """How many of the steps are done."""
        return self._history.position

    def go_to_step(self, done: int) -> None:
        """Undo or redo until so many steps are done."""
        self._history.go(done)
        words = self.steps[self.steps_done - 1] if self.steps_done else "the beginning"
        self._messages.say(f"back to after {words}" if self.steps_done else "back to the beginning")

    def name_of(self, path: ScenePath) -> str:
        """A part of the scene in words, such as “Lantern position X”."""
        words: list[str] = []
        item: Any = self.scene
        rule: Setting | None = None
        for step in path:
            if isinstance(step, str) and isinstance(item, Struct):
                rule = setting_named(type(item), step)
            item = edits.get(item, (step,))
            named = getattr(item, "name", None)
            kind = getattr(item, "effect", None) or getattr(item, "source", None)
            if named:
                words = [named]
            elif isinstance(step, str) and kind is not None:
                words.append(kind.label)
            elif isinstance(step, int) and isinstance(item, float | int | Keyed | Formula):
                words.append((rule.part(step) if rule is not None else "XYZ"[step]) if step < 3 else str(step + 1))
            elif isinstance(step, int):
                words.append(f"point {step + 1}")
            elif step not in _SILENT:
                words.append(step.replace("_", " "))
        return " ".join(words) or "scene"
