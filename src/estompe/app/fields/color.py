"""A colour: a patch of it that opens a choice of colours, and its three numbers."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QColorDialog

from estompe.app import icons
from estompe.app.session import Session
from estompe.app.widgets.fields import TripleField, field_for
from estompe.app.widgets.number import HEIGHT
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.geometry.colors import display_color, linear_color
from estompe.kinds.settings import Setting


class _Patch(QAbstractButton):
    """A colour as it is."""

    def __init__(self) -> None:
        super().__init__()
        self.color = QColor()
        self.setFixedSize(30, HEIGHT)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.color("slate" if self.hasFocus() else "soft"), 1.5 if self.hasFocus() else 1.0))
        painter.setBrush(self.color)
        painter.drawRoundedRect(self.rect().toRectF().adjusted(1.5, 3.5, -5.5, -3.5), 3, 3)


@field_for("color")
class ColorField(TripleField):
    """Red, green and blue, each a number like any other; choosing a colour sets all three in one step."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)
        self._session, self.path, self.rule = session, path, rule
        self.patch = _Patch()
        self.patch.setAccessibleName(rule.label)
        self.patch.setToolTip(f"{rule.label}: {rule.text}\nClick to choose a colour.")
        self.patch.clicked.connect(self._choose)
        self.row.insertWidget(1, self.patch)
        self.pull()

    def pull(self) -> None:
        """Show the scene's colour again."""
        if not edits.exists(self._session.document.scene, self.path):
            return
        numbers = [self._session.numbers.number((*self.path, part)) for part in range(3)]
        self.patch.color = QColor.fromRgbF(*(min(1.0, max(0.0, part)) for part in display_color(numbers)))
        self.patch.update()
        super().pull()

    def _choose(self) -> None:
        chosen = QColorDialog.getColor(self.patch.color, self.window(), self.rule.label)
        if chosen.isValid() and chosen.rgb() != self.patch.color.rgb():
            light = linear_color((chosen.redF(), chosen.greenF(), chosen.blueF()))
            self._session.numbers.set_numbers(
                [((*self.path, part), value) for part, value in enumerate(light)],
                f"Set {self._session.document.name_of(self.path)}",
            )
