"""Several controls at once."""

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import label, link
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.settings import Setting


@field_for("controls")
class ControlsField(QWidget):
    """A menu of the scene's controls, each taken in or not."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.button = link("none", rule.text)
        self.button.setAccessibleName(rule.label)
        self.button.clicked.connect(self._open)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 0, 0)
        row.addWidget(label(rule.label, "soft"), 1)
        row.addWidget(self.button)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self.session.document.scene, self.path):
            chosen = edits.get(self.session.document.scene, self.path)
            names = [item.name for item in self.session.document.scene.controls if item.id in chosen]
            self.button.setText(", ".join(names) or "no more controls")

    def _open(self) -> None:
        menu = QMenu(self)
        chosen = edits.get(self.session.document.scene, self.path)
        for control in self.session.document.scene.controls:
            action = menu.addAction(control.name, lambda item=control.id: self.toggle(item))
            action.setCheckable(True)
            action.setChecked(control.id in chosen)
        menu.popup(self.button.mapToGlobal(self.button.rect().bottomLeft()))

    def toggle(self, control: str) -> None:
        """Take a control in, or leave it out."""
        chosen = edits.get(self.session.document.scene, self.path)
        changed = tuple(item for item in chosen if item != control) if control in chosen else (*chosen, control)
        self.session.document.put(self.path, changed, f"Set {self.session.document.name_of(self.path)}")
