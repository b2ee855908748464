"""A list of rows that can be picked, renamed, and dragged into another order."""

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QToolButton, QWidget

from estompe.app import icons
from estompe.app.widgets.labels import Elided, icon_button
from estompe.app.widgets.removal import remove_widget

_LEFT, _INDENT = 16, 14


class Draggable(QWidget):
    """A row or card that says when it is picked, opened or dragged over its neighbours."""

    picked = pyqtSignal()
    opened = pyqtSignal()
    moved = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._press: QPoint | None = None
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press, self._dragging = event.position().toPoint(), False

    def mouseMoveEvent(self, event) -> None:
        if self._press is None:
            return
        if abs(event.position().toPoint().y() - self._press.y()) > 8:
            self._dragging = True
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event) -> None:
        pressed, self._press = self._press, None
        self.unsetCursor()
        if pressed is None:
            return
        if self._dragging:
            self.moved.emit(self._steps(event.position().toPoint().y()))
        else:
            self.picked.emit()

    def mouseDoubleClickEvent(self, event) -> None:
        self._press = None
        self.opened.emit()

    def keyPressEvent(self, event) -> None:
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.picked.emit()
        elif event.key() == Qt.Key.Key_F2:
            self.opened.emit()
        elif alt and event.key() == Qt.Key.Key_Up:
            self.moved.emit(-1)
        elif alt and event.key() == Qt.Key.Key_Down:
            self.moved.emit(1)
        else:
            super().keyPressEvent(event)

    def _steps(self, y: int) -> int:
        """How many neighbours of the same kind a drag to this height has passed."""
        siblings = [item for item in self.parentWidget().children() if isinstance(item, Draggable)]
        siblings.sort(key=lambda item: item.y())
        height = self.mapToParent(QPoint(0, y)).y()
        passed = [item for item in siblings if item is not self]
        before = sum(item.y() + item.height() / 2 < height for item in passed)
        return before - siblings.index(self)

    def focusInEvent(self, event) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event) -> None:
        super().focusOutEvent(event)
        self.update()


class Row(Draggable):
    """A named thing in a list: icon, name, and an eye where it can be hidden."""

    renamed = pyqtSignal(str)
    eye_clicked = pyqtSignal()

    def __init__(self, name: str, icon: str, visible: bool | None) -> None:
        super().__init__()
        self.name = name
        self.current = False
        self.setFixedHeight(24)
        self.setAccessibleName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(_LEFT, 0, 6, 0)
        row.setSpacing(8)
        mark = QLabel()
        mark.setPixmap(icons.swatch() if icon == "falloff" else icons.icon(icon, "ink").pixmap(13, 13))
        self.text = Elided(name)
        row.addWidget(mark)
        row.addWidget(self.text, 1)
        self.visible = visible
        self._eye: QToolButton | None = None
        if visible is not None:
            self._eye = icon_button("eye" if visible else "eye-off", "Hide" if visible else "Show")
            self._eye.clicked.connect(self.eye_clicked)
            row.addWidget(self._eye)
        self.opened.connect(self.rename)

    def show_as(self, name: str, visible: bool | None, depth: int = 0) -> None:
        """Show another name, whether it is visible, and how deep below another row it stands."""
        margins = self.layout().contentsMargins()
        if margins.left() != _LEFT + _INDENT * depth:
            self.layout().setContentsMargins(_LEFT + _INDENT * depth, 0, 6, 0)
        if name != self.name:
            self.name = name
            self.setAccessibleName(name)
            self.text.setText(name)
        if visible != self.visible and self._eye is not None:
            self.visible = visible
            words = "Hide" if visible else "Show"
            self._eye.setToolTip(words)
            self._eye.setAccessibleName(words)
            icons.put(self._eye, "eye" if visible else "eye-off")

    def set_current(self, current: bool) -> None:
        """Mark the row as what is current."""
        if current == self.current:
            return
        self.current = current
        font = self.text.font()
        font.setBold(current)
        self.text.setStyleSheet("font-weight: 600;" if current else "")
        self.update()

    def rename(self) -> None:
        """Let the name be typed."""
        editor = QLineEdit(self.name, self)
        editor.setGeometry(self.text.geometry().adjusted(-4, 1, 0, -1))
        editor.setMaxLength(200)
        editor.selectAll()
        editor.editingFinished.connect(lambda: self._renamed(editor))
        editor.show()
        editor.setFocus()

    def _renamed(self, editor: QLineEdit) -> None:
        name = editor.text().strip()
        editor.blockSignals(True)
        remove_widget(editor)
        if name and name != self.name:
            self.renamed.emit(name)

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        if self.current:
            painter.fillRect(self.rect(), t.color("raised"))
            painter.fillRect(0, 0, 3, self.height(), t.color("chalk"))
        if self.hasFocus():
            painter.setPen(t.color("slate"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
