"""What is current: a shape, a falloff and one of its layers, and what the handles act on."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.document import DocumentModel
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Falloff, Scene, Shape


class Selection(QObject):
    """changed() when something else is current.

    picked: the path of what the handles act on: a shape, a control, the camera, an effect with a pivot, or a joint;
    picks: everything that is picked, a falloff, layer or effect too, the newest last; unfolded: types whose rarely tuned
    settings are shown; marked_edges: edges pointed out in the view, float32 (k, 2, 3), world space; marked_places: places
    pointed out, float32 (k, 3); element: the shape and the number of the element that was clicked last; isolated: the ids of the
    only shapes and controls that the view shows, None for all.
    """

    changed = pyqtSignal()

    def __init__(self, document: DocumentModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.shape_id: str | None = None
        self.falloff_id: str | None = None
        self.layer_id: str | None = None
        self.picked: ScenePath = ()
        self.picks: tuple[ScenePath, ...] = ()
        self.isolated: frozenset[str] | None = None
        self.marked_edges: NDArray[np.float32] | None = None
        self.marked_places: NDArray[np.float32] | None = None
        self.element: tuple[str, int] | None = None
        self.unfolded: set[str] = set()

    def begin(self, scene: Scene) -> None:
        """Choose what another project begins with; nothing of the one before stays. Emits no signal."""
        self.shape_id = _first_shape(scene)
        self.falloff_id = _first_falloff(scene, self.shape_id)
        self.picked = ("controls", scene.controls[0].id) if scene.controls else ()
        self.layer_id = None
        self.picks = (self.picked,) if self.picked else ()
        self.marked_edges = self.marked_places = self.element = self.isolated = None

    @property
    def shape(self) -> Shape | None:
        """The current shape."""
        return next((item for item in self._document.scene.shapes if item.id == self.shape_id), None)

    @property
    def falloff(self) -> Falloff | None:
        """The current falloff."""
        return next((item for item in self._document.scene.falloffs if item.id == self.falloff_id), None)

    @property
    def picked_effect(self) -> ScenePath | None:
        """The path of the effect whose pivot the handles act on."""
        return self.picked if len(self.picked) == 4 and self.picked[2] == "effects" else None

    @property
    def picked_joint(self) -> ScenePath | None:
        """The path of the joint the handles act on."""
        return self.picked if len(self.picked) == 7 and self.picked[2] == "effects" else None

    @property
    def last(self) -> ScenePath:
        """The path of what was picked last: what Delete and Duplicate act on, with the other picks; () for nothing."""
        there = self.there
        return there[-1] if there else self.picked

    @property
    def there(self) -> tuple[ScenePath, ...]:
        """The picks that are in the scene, the newest last."""
        return tuple(path for path in self.picks if edits.exists(self._document.scene, path))

    def with_picks(self, path: ScenePath) -> tuple[ScenePath, ...]:
        """All picks where a path is one of them; else the path alone."""
        return self.there if path in self.picks else (path,)

    def fellows(self, path: ScenePath) -> list[ScenePath]:
        """The same part of the other picked things, such as their positions, where they have it."""
        scene, owner = self._document.scene, path[:2]
        if len(self.picks) < 2 or owner not in self.picks:
            return []
        others = [(*pick, *path[2:]) for pick in self.there if len(pick) == 2 and pick != owner and pick[0] == owner[0]]
        source = len(path) > 3 and path[2] == "source"
        kind = type(edits.get(scene, (*owner, "source"))) if source else None
        return [
            other
            for other in others
            if edits.exists(scene, other) and (kind is None or type(edits.get(scene, (*other[:2], "source"))) is kind)
        ]

    def choose_shape(self, shape: str) -> None:
        """Make a shape current and let the handles act on it."""
        self.shape_id, self.picked = shape, ("shapes", shape)
        self.picks = (self.picked,)
        self.changed.emit()

    def choose_control(self, control: str) -> None:
        """Let the handles act on a control."""
        self.choose_part(("controls", control))

    def choose_camera(self) -> None:
        """Show the camera's numbers and keys."""
        self.choose_part(("camera",))

    def choose_part(self, path: ScenePath) -> None:
        """Let the handles act on a part, such as a joint."""
        self.picked = path
        self.picks = (path,)
        self.changed.emit()

    def choose_several(self, paths: Iterable[ScenePath]) -> None:
        """Pick several shapes, controls and falloffs; the last of each family becomes the current one."""
        self.picks = tuple(dict.fromkeys(paths))
        for path in self.picks:
            if path[0] == "falloffs":
                self.falloff_id, self.layer_id = str(path[1]), None
            else:
                self.picked = path
                self.shape_id = str(path[1]) if path[0] == "shapes" else self.shape_id
        self.changed.emit()

    def toggle(self, path: ScenePath) -> None:
        """Pick one thing more, or no longer."""
        rest = [item for item in self.there if item != path]
        self.choose_several(rest if len(rest) < len(self.there) else [*rest, path])

    def mark_last(self, path: ScenePath) -> None:
        """Take note of what was picked last, such as an effect, whatever the handles act on."""
        self.picks = (path,)
        self.changed.emit()

    def isolate(self, ids: frozenset[str] | None) -> None:
        """Show only these shapes in the view, or all."""
        self.isolated = ids
        self.changed.emit()

    def choose_falloff(self, falloff: str, layer: str | None = None) -> None:
        """Make a falloff current, and one of its layers if it is picked."""
        self.falloff_id, self.layer_id = falloff, layer
        self.picks = (("falloffs", falloff) if layer is None else ("falloffs", falloff, "layers", layer),)
        self.changed.emit()

    def mark_edges(self, edges: NDArray[np.float32] | None) -> None:
        """Point out edges in the view, or no more."""
        self.marked_edges = edges
        self.changed.emit()

    def mark_places(self, places: NDArray[np.float32] | None) -> None:
        """Point out places in the view, or no more."""
        self.marked_places = places
        self.changed.emit()

    def click_element(self, shape: str, number: int) -> None:
        """Take note of the element that was clicked in the view."""
        self.element = shape, number
        self.changed.emit()

    def follow(self, scene: Scene) -> None:
        """What is current must be there; where it is gone, what a project begins with is."""
        before = (self.shape_id, self.falloff_id, self.picked, self.picks, self.isolated)
        if self.shape is None:
            self.shape_id = _first_shape(scene)
        if self.falloff is None:
            self.falloff_id = _first_falloff(scene, self.shape_id)
        if self.picked and not edits.exists(scene, self.picked):
            self.picked = ()
        self.picks = self.there
        if self.isolated is not None and not any(item.id in self.isolated for item in scene.shapes):
            self.isolated = None
        if before != (self.shape_id, self.falloff_id, self.picked, self.picks, self.isolated):
            self.changed.emit()


def _first_shape(scene: Scene) -> str | None:
    """The first shape in which one sees what falloffs do: forms of copies are hidden, and others stand still."""
    shown = [shape for shape in scene.shapes if shape.visible]
    driven = [shape for shape in shown if any(slot.routes for slot in shape.effects)]
    first = next(iter((*driven, *shown, *scene.shapes)), None)
    return None if first is None else first.id


def _first_falloff(scene: Scene, shape: str | None) -> str | None:
    """The first falloff that drives an effect of a shape; else the first of all."""
    slots = (slot for item in scene.shapes if item.id == shape for slot in item.effects)
    used = {route.falloff for slot in slots for route in slot.routes}
    driving = [falloff for falloff in scene.falloffs if falloff.id in used]
    first = next(iter((*driving, *scene.falloffs)), None)
    return None if first is None else first.id
