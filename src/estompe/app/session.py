"""What the window is about at this moment: the project and its history, what is current, and the frame."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from estompe.app.painting import Painting
from estompe.document import edits
from estompe.document.check import SceneError, check_change
from estompe.document.edits import Path as ScenePath
from estompe.document.history import History
from estompe.document.naming import spoken
from estompe.document.numbers import Formula, Keyed, with_key, without_keys
from estompe.document.project import Project
from estompe.document.resolving import Resolver
from estompe.document.scene import Control, Effect, Falloff, Scene, Shape
from estompe.evaluate.worker import Answer, Request, Worker


class Session(QObject):
    """The model behind the window.

    scene_changed(old, new), current_changed(), frame_changed(), answered(answer): pull what you show when they come.
    readied(request, share): a frame was worked out ahead, with its share past half.
    said(text, kind): a message for the status line, kind "", "warning" or "error".
    mesh_wanted(path, then): read a mesh away from this thread and hand it on.
    """

    scene_changed = pyqtSignal(object, object)
    current_changed = pyqtSignal()
    frame_changed = pyqtSignal()
    answered = pyqtSignal(object)
    readied = pyqtSignal(object, object)
    mesh_wanted = pyqtSignal(object, object)
    said = pyqtSignal(str, str)
    project_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path: Path | None = None
        self.title = "untitled"
        self.started = False
        self.shape_id: str | None = None
        self.falloff_id: str | None = None
        self.picked: ScenePath = ()
        self.layer_id: str | None = None
        self.linking: ScenePath | None = None
        self.clipboard: tuple[Effect, ...] = ()
        self.marks: NDArray[np.float32] | None = None
        self.frame = 1
        self.answer: Answer | None = None
        self._blobs: dict[str, Any] = {}
        self._saved: Scene | None = None
        self._now = Scene()
        self._now_for: tuple[object, ...] = (None, None, None)
        self._history = History(Scene())
        self._history.subscribe(self._scene_moved)
        self._asking = QTimer(self, singleShot=True, interval=0)
        self._asking.timeout.connect(self._ask)
        self.answered.connect(self._take)
        self.painting = Painting(self)
        self.worker = Worker(self.answered.emit, self.readied.emit, failed=self._say_failed)

    def _say_failed(self, error: Exception) -> None:
        self.said.emit(f"this frame could not be worked out: {error or type(error).__name__}", "error")

    @property
    def scene(self) -> Scene:
        return self._history.scene

    @property
    def now(self) -> Scene:
        """The scene with plain numbers for the current frame; reductions are those of the newest answer."""
        key = (self.scene, self.frame, self.answer)
        if any(a is not b for a, b in zip(key, self._now_for, strict=True)):
            self._now = Resolver(self.scene, self.frame, self.reduction).scene()
            self._now_for = key
        return self._now

    def reduction(self, what: str, falloff: str, shape: str) -> float:
        """What the newest answer found for a reduction; 0 while it is not known."""
        reductions = self.answer.frame.reductions if self.answer is not None else {}
        return reductions.get((what, falloff, shape), 0.0)

    @property
    def project(self) -> Project:
        return Project(self.scene, self._blobs)

    @property
    def shape(self) -> Shape | None:
        """The current shape."""
        return next((item for item in self.scene.shapes if item.id == self.shape_id), None)

    @property
    def falloff(self) -> Falloff | None:
        """The current falloff."""
        return next((item for item in self.scene.falloffs if item.id == self.falloff_id), None)

    @property
    def picked_control(self) -> Control | None:
        """The control that handles act on."""
        if self.picked[:1] != ("controls",):
            return None
        return next((item for item in self.scene.controls if item.id == self.picked[1]), None)

    @property
    def unsaved(self) -> bool:
        """Whether the scene differs from what is in its file."""
        return self.scene is not self._saved and self.scene != (self._saved or Scene())

    @property
    def undo_label(self) -> str | None:
        return self._history.undo_label

    @property
    def redo_label(self) -> str | None:
        return self._history.redo_label

    def begin(self, project: Project, path: Path | None, title: str, saved: bool = True) -> None:
        """Go on with another project; its history starts here."""
        self._history = History(project.scene)
        self._history.subscribe(self._scene_moved)
        self._blobs = dict(project.blobs)
        self._saved = project.scene if saved else None
        self.path, self.title, self.started = path, title, True
        scene = project.scene
        self.shape_id = scene.shapes[0].id if scene.shapes else None
        self.falloff_id = scene.falloffs[0].id if scene.falloffs else None
        self.picked = ("controls", scene.controls[0].id) if scene.controls else ()
        self.layer_id = None
        self.frame = scene.first
        self.answer = None
        self.project_changed.emit()
        self.scene_changed.emit(Scene(), scene)
        self.current_changed.emit()
        self.frame_changed.emit()
        self.ask()

    def saved_as(self, path: Path, scene: Scene) -> None:
        """Take note that this scene is now in that file."""
        self.path, self.title, self._saved = path, path.name, scene
        self.project_changed.emit()

    def add_blobs(self, blobs: dict[str, Any]) -> None:
        """Keep arrays that scenes to come refer to."""
        self._blobs = {**self._blobs, **blobs}

    def blob(self, name: str) -> Any:
        """An array beside the scene, or None."""
        return self._blobs.get(name)

    def commit(self, scene: Scene, label: str, merge_key: object = None) -> None:
        """Make a scene the current one, as a step of that name; not one that could not be opened again."""
        scene = edits.in_order(scene, self.scene)
        try:
            check_change(scene, self.scene)
        except SceneError as error:
            self.said.emit(f"{label}: {error}", "error")
            return
        self.started = True
        self._history.commit(scene, label, merge_key)

    def put(self, path: ScenePath, value: object, label: str, merge_key: object = None) -> None:
        """Replace one part of the scene."""
        self.commit(edits.put(self.scene, path, value), label, merge_key)

    def end_gesture(self) -> None:
        self._history.end_gesture()

    def undo(self) -> None:
        label = self.undo_label
        self._history.undo()
        if label:
            self.said.emit(f"undid {label}", "")

    def redo(self) -> None:
        label = self.redo_label
        self._history.redo()
        if label:
            self.said.emit(f"redid {label}", "")

    def set_number(self, path: ScenePath, value: float, label: str, merge_key: object = None) -> None:
        """Set a number: on a keyed one, the key of the current frame."""
        self.set_numbers([(path, value)], label, merge_key)

    def set_numbers(self, numbers: list[tuple[ScenePath, float]], label: str, merge_key: object = None) -> None:
        """Set several numbers as one step; keyed ones get a key on the current frame."""
        scene = self.scene
        for path, value in numbers:
            number = edits.get(scene, path)
            if isinstance(number, Formula):
                self.said.emit(f"{self.name_of(path)} follows the formula {number.text}: change that", "warning")
                continue
            new = with_key(number, self.frame, value) if isinstance(number, Keyed) else value
            scene = edits.put(scene, path, new)
        self.commit(scene, label, merge_key)

    def number(self, path: ScenePath) -> float:
        """A number's value on the current frame."""
        return float(edits.get(self.now, path))

    def toggle_key(self, path: ScenePath) -> None:
        """Put a key on the current frame, or take away the one that stands there."""
        self.toggle_keys([path])

    def toggle_keys(self, paths: list[ScenePath]) -> None:
        """Put keys on several numbers at once; where all have one on this frame, take them away."""
        numbers = [edits.get(self.scene, path) for path in paths]
        standing = all(self.has_key(number) for number in numbers)
        scene = self.scene
        for path, number in zip(paths, numbers, strict=True):
            if standing:
                scene = edits.put(scene, path, without_keys(number, {float(self.frame)}))
            else:
                scene = edits.put(scene, path, with_key(number, self.frame, self.number(path)))
        what = self.name_of(paths[0][:-1] if len(paths) > 1 else paths[0])
        self.commit(scene, f"{'Remove key' if standing else 'Key'} {what}")

    def begin_link(self, path: ScenePath) -> None:
        """The next number that is clicked is what this one follows."""
        self.linking = path
        self.said.emit(f"click the number that {self.name_of(path)} shall follow; Esc gives up", "warning")

    def link_to(self, path: ScenePath) -> None:
        """Let the number that waits for it follow another one."""
        follower, self.linking = self.linking, None
        if follower is None or follower == path:
            return
        linked = edits.put(self.scene, follower, Formula(spoken(self.scene, path)))
        errors = Resolver(linked, self.frame, self.reduction).scene_errors()
        if follower in errors:
            self.said.emit(f"{self.name_of(follower)}: {errors[follower]}", "error")
            return
        self.commit(linked, f"Link {self.name_of(follower)} to {self.name_of(path)}")

    def has_key(self, number: object) -> bool:
        """Whether a number has a key on the current frame."""
        return isinstance(number, Keyed) and any(key.frame == self.frame for key in number.keys)

    def name_of(self, path: ScenePath) -> str:
        """A part of the scene in words, such as “Lantern place X”."""
        words: list[str] = []
        item: Any = self.scene
        for step in path:
            item = edits.get(item, (step,))
            named = getattr(item, "name", None)
            if named:
                words = [named]
            elif isinstance(step, str) and hasattr(item, "settings"):
                words.append(item.settings.label)
            elif isinstance(step, str) and hasattr(item, "source"):
                words.append(item.source.label)
            elif isinstance(step, int) and isinstance(item, float | int | Keyed | Formula):
                words.append("XYZ"[step] if step < 3 else str(step + 1))
            elif isinstance(step, int):
                words.append(f"point {step + 1}")
            elif isinstance(step, str) and step not in {
                "placement",
                "settings",
                "source",
                "effects",
                "layers",
                "routes",
            }:
                words.append(step.replace("_", " "))
        return " ".join(words) or "scene"

    def choose_shape(self, shape: str) -> None:
        """Make a shape current and let the handles act on it."""
        self.shape_id, self.picked = shape, ("shapes", shape)
        self.current_changed.emit()
        self.ask()

    def choose_control(self, control: str) -> None:
        """Let the handles act on a control."""
        self.picked = ("controls", control)
        self.current_changed.emit()

    def choose_part(self, path: ScenePath) -> None:
        """Let the handles act on a part of a shape, such as a joint."""
        self.picked = path
        self.current_changed.emit()

    def choose_falloff(self, falloff: str, layer: str | None = None) -> None:
        """Make a falloff current, and one of its layers if it is picked."""
        changed = falloff != self.falloff_id
        self.falloff_id, self.layer_id = falloff, layer
        self.current_changed.emit()
        if changed:
            self.ask()

    def choose_camera(self) -> None:
        """Show the camera's numbers and keys."""
        self.picked = ("camera",)
        self.current_changed.emit()

    def go(self, frame: int) -> None:
        """Go to a frame of the shot."""
        frame = max(self.scene.first, min(self.scene.last, frame))
        if frame == self.frame:
            return
        self.frame = frame
        self.end_gesture()
        ready = self.worker.ready(self._request())
        if ready is not None:
            self._take(ready)
        self.frame_changed.emit()
        self.ask()

    def ask(self) -> None:
        """Have the current frame worked out, once everything at hand has been dealt with."""
        self._asking.start()

    def close(self) -> None:
        """End background work."""
        self._asking.stop()
        self.worker.stop()

    def still_asks(self, request: Request) -> bool:
        """Whether a request is about what is current; news of others may still be on its way."""
        current = self.shape_id, self.falloff_id
        return request.project.scene is self.scene and (request.shape, request.falloff) == current

    def _request(self) -> Request:
        return Request(self.project, self.frame, self.shape_id, self.falloff_id)

    def _ask(self) -> None:
        self.worker.ask(self._request())

    def _take(self, answer: Answer) -> None:
        self.answer = answer

    def _scene_moved(self, old: Scene, new: Scene) -> None:
        self._keep_current(new)
        self.scene_changed.emit(old, new)
        self.ask()

    def _keep_current(self, scene: Scene) -> None:
        """What is current must be there; where it is gone, the first of its kind takes its place."""
        before = (self.shape_id, self.falloff_id, self.picked)
        if self.shape is None:
            self.shape_id = scene.shapes[0].id if scene.shapes else None
        if self.falloff is None:
            self.falloff_id = scene.falloffs[0].id if scene.falloffs else None
        if self.picked and not edits.exists(scene, self.picked):
            self.picked = ()
        if before != (self.shape_id, self.falloff_id, self.picked):
            self.current_changed.emit()
        self.frame = max(scene.first, min(scene.last, self.frame))
