"""What is current: a shape, a falloff and one of its layers, and what the handles act on."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.document import DocumentModel
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import EffectSlot, Falloff, Scene, Shape


class Selection(QObject):
    """changed() when something else is current.

    picked: the path of what the handles act on: a shape, a control, the camera, an effect with a pivot, or a joint;
    clipboard: effects that were copied; unfolded: types whose rarely tuned settings are shown; marked_edges: edges pointed
    out in the view, float32 (k, 2, 3), world space.
    """

    changed = pyqtSignal()

    def __init__(self, document: DocumentModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.shape_id: str | None = None
        self.falloff_id: str | None = None
        self.layer_id: str | None = None
        self.picked: ScenePath = ()
        self._clicked: ScenePath = ()
        self.clipboard: tuple[EffectSlot, ...] = ()
        self.marked_edges: NDArray[np.float32] | None = None
        self.unfolded: set[str] = set()

    def begin(self, scene: Scene) -> None:
        """Choose what another project begins with; nothing of the one before stays. Emits no signal."""
        self.shape_id = _first_shape(scene)
        self.falloff_id = _first_falloff(scene, self.shape_id)
        self.picked = ("controls", scene.controls[0].id) if scene.controls else ()
        self.layer_id, self._clicked = None, ()
        self.marked_edges = None

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
        """The path of what was chosen last, a falloff or layer too: what Delete and Duplicate act on; () for nothing."""
        there = self._clicked and edits.exists(self._document.scene, self._clicked)
        return self._clicked if there else self.picked

    def choose_shape(self, shape: str) -> None:
        """Make a shape current and let the handles act on it."""
        self.shape_id, self.picked, self._clicked = shape, ("shapes", shape), ("shapes", shape)
        self.changed.emit()

    def choose_control(self, control: str) -> None:
        """Let the handles act on a control."""
        self.choose_part(("controls", control))

    def choose_camera(self) -> None:
        """Show the camera's numbers and keys."""
        self.choose_part(("camera",))

    def choose_part(self, path: ScenePath) -> None:
        """Let the handles act on a part, such as a joint."""
        self.picked = self._clicked = path
        self.changed.emit()

    def choose_falloff(self, falloff: str, layer: str | None = None) -> None:
        """Make a falloff current, and one of its layers if it is picked."""
        self.falloff_id, self.layer_id = falloff, layer
        self._clicked = ("falloffs", falloff) if layer is None else ("falloffs", falloff, "layers", layer)
        self.changed.emit()

    def mark_edges(self, edges: NDArray[np.float32] | None) -> None:
        """Point out edges in the view, or no more."""
        self.marked_edges = edges
        self.changed.emit()

    def follow(self, scene: Scene) -> None:
        """What is current must be there; where it is gone, what a project begins with is."""
        before = (self.shape_id, self.falloff_id, self.picked)
        if self.shape is None:
            self.shape_id = _first_shape(scene)
        if self.falloff is None:
            self.falloff_id = _first_falloff(scene, self.shape_id)
        if self.picked and not edits.exists(scene, self.picked):
            self.picked = ()
        if before != (self.shape_id, self.falloff_id, self.picked):
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
