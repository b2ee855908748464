"""Words: a formula per point, or a picture's file."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import icon_button, label
from estompe.app.widgets.number import HEIGHT
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.formula import FormulaError, parse
from estompe.kinds.settings import Setting


class _TextField(QWidget):
    """A line of words that is taken over when one leaves it or presses Return."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.line = QLineEdit()
        self.line.setFixedHeight(HEIGHT)
        self.line.setAccessibleName(rule.label)
        self.line.setToolTip(f"{rule.label}: {rule.text}")
        self.line.editingFinished.connect(self._finished)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(4, 1, 0, 1)
        self.row.setSpacing(4)
        self.row.addWidget(label(rule.label, "soft"))
        self.row.addWidget(self.line, 1)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self.session.document.scene, self.path) and not self.line.hasFocus():
            self.line.setText(edits.get(self.session.document.scene, self.path))

    def _finished(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        text = self.line.text().strip()
        if text != edits.get(self.session.document.scene, self.path) and self.accepts(text):
            self.session.document.put(self.path, text, f"Set {self.session.document.name_of(self.path)}")

    def accepts(self, text: str) -> bool:
        """Whether the words may go into the scene; says why not."""
        del text
        return True


@field_for("name")
class NameField(_TextField):
    """A name, at least one letter long."""

    def accepts(self, text: str) -> bool:
        return bool(text)


@field_for("formula")
class FormulaField(_TextField):
    """A formula; one that cannot be read is not taken over, and its wrong place is picked."""

    def accepts(self, text: str) -> bool:
        try:
            parse(text)
        except FormulaError as error:
            self.session.messages.say(f"{self.rule.label}: {error}", "error")
            self.line.setSelection(error.begin, max(1, error.end - error.begin))
            return False
        return True


@field_for("picture")
class PictureField(_TextField):
    """A picture's file, typed or chosen."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)
        choose = icon_button("file", "Choose a picture")
        choose.clicked.connect(self._choose)
        self.row.addWidget(choose)

    def _choose(self) -> None:
        here = str(Path(self.line.text()).parent) if self.line.text() else ""
        name, _ = QFileDialog.getOpenFileName(self, "Choose a picture", here, "Pictures (*.png *.jpg *.jpeg *.exr)")
        if name:
            self.line.setText(name)
            self._finished()
