"""The points of a path control."""

from collections.abc import Hashable
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import TripleField, column, field_for
from estompe.app.widgets.labels import icon_button, link
from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.settings import Setting
from estompe.setups.adding import FIRST_PATH


@field_for("points")
class PointsField(QWidget):
    """One row a point; seen only while the control is a path. Points can be keyed."""

    def __init__(self, session: Session, path: Path, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.fields: list[TripleField] = []
        self._built: Hashable = None
        self._body: QWidget | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self.pull()

    def pull(self) -> None:
        if not edits.exists(self.session.scene, self.path):
            return
        control: Any = edits.get(self.session.scene, self.path[:-1])
        built = (control.form == "path", len(control.points))
        if built != self._built:
            self._built = built
            if self._body is not None:
                self._body.hide()
                self._body.deleteLater()
            self.fields = []
            self._body = column(*(self._rows(len(control.points)) if control.form == "path" else ()))
            self._layout.addWidget(self._body)
            self._body.show()
        for field in self.fields:
            field.pull()

    def _rows(self, count: int) -> list[QWidget]:
        more = link("One point more", "Goes on from the last point")
        more.clicked.connect(self.add)
        return [*(self._row(index) for index in range(count)), more]

    def _row(self, index: int) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        rule = Setting(self.rule.name, f"{index + 1}", self.rule.text, "triple", "length")
        field = TripleField(self.session, (*self.path, index), rule)
        self.fields.append(field)
        row.addWidget(field, 1)
        remove = icon_button("remove", f"Remove point {index + 1}")
        remove.clicked.connect(
            lambda: self.session.commit(edits.remove(self.session.scene, (*self.path, index)), "Remove path point")
        )
        row.addWidget(remove)
        return made

    def add(self) -> None:
        """Another point, as far beyond the last one as that is from the one before; the first three at once."""
        points = edits.get(self.session.now, self.path)
        if len(points) < 2:
            self.session.put(self.path, FIRST_PATH, "Begin a path")
            return
        last, before = points[-1], points[-2]
        further = tuple(round(2 * a - b, 4) for a, b in zip(last, before, strict=True))
        self.session.commit(edits.insert(self.session.scene, self.path, further), "Add path point")
