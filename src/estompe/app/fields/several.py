"""Several controls or shapes at once."""

from PyQt6.QtWidgets import QHBoxLayout, QMenu, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import label, link
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.references import REFERENCES, Candidate
from estompe.kinds.settings import Setting


@field_for("several")
class SeveralField(QWidget):
    """A menu of what a setting may name, each taken in or not."""

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

    def candidates(self) -> list[Candidate]:
        """What may be taken in: all of the family but what the setting belongs to."""
        found = REFERENCES[self.rule.refers].candidates(self.session.document.scene)
        return [item for item in found if item.id not in self.path]

    def pull(self) -> None:
        if edits.exists(self.session.document.scene, self.path):
            chosen = edits.get(self.session.document.scene, self.path)
            names = [item.name for item in self.candidates() if item.id in chosen]
            self.button.setText(", ".join(names) or "none")

    def _open(self) -> None:
        menu = QMenu(self)
        chosen = edits.get(self.session.document.scene, self.path)
        for item in self.candidates():
            action = menu.addAction(item.name, lambda item=item.id: self.toggle(item))
            action.setCheckable(True)
            action.setChecked(item.id in chosen)
        menu.popup(self.button.mapToGlobal(self.button.rect().bottomLeft()))

    def toggle(self, item: str) -> None:
        """Take one in, or leave it out."""
        chosen = edits.get(self.session.document.scene, self.path)
        changed = tuple(other for other in chosen if other != item) if item in chosen else (*chosen, item)
        self.session.document.put(self.path, changed, f"Set {self.session.document.name_of(self.path)}")
