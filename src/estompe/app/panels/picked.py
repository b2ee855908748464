"""Picked: the numbers of the shape, control or camera that is picked."""

from collections.abc import Hashable

from PyQt6.QtWidgets import QVBoxLayout

from estompe.app import icons
from estompe.app.fields.settings import SettingsField
from estompe.app.session import Session
from estompe.app.widgets.labels import Head, hairline
from estompe.app.widgets.panel import Panel
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import EffectSlot


class PickedPanel(Panel):
    """The numbers of what is picked: a shape's or control's transform and making, or the camera."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.refresh()

    def structure(self) -> Hashable:
        picked = self.session.selection.picked
        if not picked or not edits.exists(self.session.document.scene, picked):
            return None
        item = edits.get(self.session.document.scene, picked)
        return (
            picked,
            getattr(item, "name", ""),
            type(getattr(item, "source", None)),
            getattr(item, "form", ""),
            self._fellows(),
        )

    def _fellows(self) -> tuple[ScenePath, ...]:
        """The things whose numbers are changed along with those of the picked one."""
        return tuple(self.session.selection.fellows(self.session.selection.picked))

    def build(self, layout: QVBoxLayout) -> None:
        picked = self.session.selection.picked
        if not picked or not edits.exists(self.session.document.scene, picked):
            return
        item = edits.get(self.session.document.scene, picked)
        if isinstance(item, EffectSlot):
            return  # its card shows its numbers
        family = "joints" if picked == self.session.selection.picked_joint else str(picked[0])
        words = {
            "shapes": "Shape",
            "controls": "Control",
            "camera": "Camera",
            "other_cameras": "Camera",
            "joints": "Joint",
        }
        others = len(self._fellows())
        head = (
            Head(f"{others + 1} {words[family]}s", f"{item.name} and others")
            if others
            else Head(words[family], item.name)
        )
        head.about.setStyleSheet(f"color: {icons.current_theme().slate};")
        layout.addWidget(head)
        layout.addWidget(hairline())
        layout.addSpacing(4)
        self.fields = [SettingsField(self.session, picked)]
        self.fields += [
            SettingsField(self.session, (*picked, part))
            for part in ("wind", "transform", "source")
            if hasattr(item, part) and (part != "wind" or item.form == "wind")
        ]
        for made in self.fields:
            layout.addWidget(made)
