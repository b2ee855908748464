"""The points of a path control."""

from collections.abc import Hashable

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from estompe.app.fields.rows import PartsField
from estompe.app.widgets.fields import TripleField, field_for
from estompe.app.widgets.labels import icon_button, link
from estompe.document import edits
from estompe.kinds.settings import Setting
from estompe.setups.adding import FIRST_PATH


@field_for("points")
class PointsField(PartsField):
    """One row a point. Points can be keyed."""

    def built(self) -> Hashable:
        return len(self.parts)

    def widgets(self) -> list[QWidget]:
        more = link("One point more", "Goes on from the last point")
        more.clicked.connect(self.add)
        return [*(self._row(index) for index in range(len(self.parts))), more]

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
            lambda: self.session.document.commit(
                edits.remove(self.session.document.scene, (*self.path, index)), "Remove path point"
            )
        )
        row.addWidget(remove)
        return made

    def add(self) -> None:
        """Another point, as far beyond the last one as that is from the one before; the first three at once."""
        points = edits.get(self.session.numbers.now, self.path)
        if len(points) < 2:
            self.session.document.put(self.path, FIRST_PATH, "Begin a path")
            return
        last, before = points[-1], points[-2]
        further = tuple(round(2 * a - b, 4) for a, b in zip(last, before, strict=True))
        self.session.document.commit(edits.insert(self.session.document.scene, self.path, further), "Add path point")
