"""Rows that can be picked, renamed, dragged into another order, and dropped on others."""

from collections.abc import Callable

from PyQt6 import sip
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QToolButton, QWidget

from estompe.app import icons
from estompe.app.theme import TAG_COLORS
from estompe.app.widgets.labels import Elided, icon_button, label
from estompe.app.widgets.removal import remove_widget
from estompe.document.edits import ScenePath

_LEFT, _INDENT = 16, 14


class Draggable(QWidget):
    """A row or card that says when it is picked, opened or dragged over its neighbours.

    modifiers: the keys that were held when it was picked; carries: the part of the scene that is dragged with it, () for none;
    takes: called with what is dropped on it and whether Ctrl was held; says whether it was taken.
    """

    picked = pyqtSignal()
    opened = pyqtSignal()
    moved = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._press: QPoint | None = None
        self._dragging = False
        self._over: Draggable | None = None
        self.dropped_on = False
        self.modifiers = Qt.KeyboardModifier.NoModifier
        self.carries: ScenePath = ()
        self.takes: Callable[[ScenePath, bool], bool] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press, self._dragging = event.position().toPoint(), False
            self.modifiers = event.modifiers()

    def mouseMoveEvent(self, event) -> None:
        if self._press is None:
            return
        if (event.position().toPoint() - self._press).manhattanLength() > 8:
            self._dragging = True
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self._hover(self._target(event.globalPosition().toPoint()))

    def _target(self, at: QPoint) -> "Draggable | None":
        """The other row under a place of the screen that may take what is dragged."""
        window = self.window()
        widget = window.childAt(window.mapFromGlobal(at)) if self.carries and window is not None else None
        while widget is not None and not (isinstance(widget, Draggable) and widget.takes is not None):
            widget = widget.parentWidget()
        return widget if isinstance(widget, Draggable) and widget is not self else None

    def _hover(self, over: "Draggable | None") -> None:
        """Show which row would take what is dragged."""
        for row, marked in ((self._over, False), (over, True)):
            if row is not None and not sip.isdeleted(row):
                row.dropped_on = marked
                row.update()
        self._over = over

    def mouseReleaseEvent(self, event) -> None:
        pressed, self._press = self._press, None
        self.unsetCursor()
        self._hover(None)
        if pressed is None:
            return
        if self._dragging:
            target = self._target(event.globalPosition().toPoint())
            copies = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            if target is None or target.takes is None or not target.takes(self.carries, copies):
                self.moved.emit(self._steps(event.position().toPoint().y()))
        else:
            self.picked.emit()

    def mouseDoubleClickEvent(self, event) -> None:
        self._press = None
        self.opened.emit()

    def keyPressEvent(self, event) -> None:
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
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
        siblings = [item for item in self.parentWidget().children() if type(item) is type(self)]
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


class Named(Draggable):
    """A row with a name that can be typed."""

    renamed = pyqtSignal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name
        self.setFixedHeight(24)
        self.setAccessibleName(name)
        self.text = Elided(name)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(_LEFT, 0, 6, 0)
        self.row.setSpacing(8)

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

    def paint_frame(self, painter: QPainter) -> None:
        """The frame of a row that has the focus, or would take what is dragged."""
        if self.hasFocus() or self.dropped_on:
            painter.setPen(icons.current_theme().color("chalk" if self.dropped_on else "slate"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class FolderRow(Named):
    """A folder of rows: an arrow, its name, and how many things are in it."""

    def __init__(self, name: str, opened: bool) -> None:
        super().__init__(name)
        self._arrow, self._count = QLabel(), label("", "soft")
        self._arrow.setFixedWidth(13)
        self.row.addWidget(self._arrow)
        self.row.addWidget(self.text, 1)
        self.row.addWidget(self._count)
        self.setToolTip("Click to open or close, double-click to rename; drop rows to put them in")
        self.opened.connect(self.rename)
        self.show_as(0, opened)

    def show_as(self, count: int, opened: bool) -> None:
        """Show how many things are in the folder, and whether these are listed."""
        self._arrow.setText("▾" if opened else "▸")
        self._count.setText(str(count))

    def paintEvent(self, event) -> None:
        del event
        self.paint_frame(QPainter(self))


class Row(Named):
    """A named thing in a list: icon, name, a lock, and an eye where it can be hidden."""

    eye_clicked = pyqtSignal()

    def __init__(self, name: str, icon: str, visible: bool | None) -> None:
        super().__init__(name)
        self.current = self.also = False
        self.tag, self.locked = "", False
        self._mark, self._icon = QLabel(), ""
        self.show_icon(icon)
        self.row.addWidget(self._mark)
        self.row.addWidget(self.text, 1)
        self._lock = QLabel()
        self._lock.setToolTip("Locked: it is not picked or moved in the view")
        self._lock.hide()
        self.row.addWidget(self._lock)
        self.visible = visible
        self._eye: QToolButton | None = None
        if visible is not None:
            self._eye = icon_button("eye" if visible else "eye-off", "Hide" if visible else "Show")
            self._eye.clicked.connect(self.eye_clicked)
            self.row.addWidget(self._eye)
        self.opened.connect(self.rename)

    def show_icon(self, icon: str) -> None:
        """Show another icon before the name."""
        if icon != self._icon:
            self._icon = icon
            self._mark.setPixmap(icons.swatch() if icon == "falloff" else icons.icon(icon, "ink").pixmap(13, 13))

    def show_as(self, name: str, visible: bool | None, depth: int = 0, tag: str = "", locked: bool = False) -> None:
        """Show other values.

        Parameters
        ----------
        name : str
            The name.
        visible : bool, optional
            Whether its eye is open; None for what has none.
        depth : int
            How deep below another row it stands.
        tag : str
            The colour at its left edge, "" for none.
        locked : bool
            Whether it shows a lock.
        """
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
        if locked != self.locked:
            self.locked = locked
            self._lock.setPixmap(icons.icon("lock", "soft").pixmap(12, 12))
            self._lock.setVisible(locked)
        if tag != self.tag:
            self.tag = tag
            self.update()

    def set_current(self, current: bool, also: bool = False) -> None:
        """Mark the row as what is current, or as picked along with it."""
        if (current, also) == (self.current, self.also):
            return
        self.current, self.also = current, also
        self.text.setStyleSheet("font-weight: 600;" if current else "")
        self.update()

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        if self.current or self.also:
            painter.fillRect(self.rect(), t.color("raised"))
            painter.fillRect(0, 0, 3, self.height(), t.color("chalk"))
        if self.tag:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(TAG_COLORS[self.tag]))
            painter.drawEllipse(6, self.height() // 2 - 3, 7, 7)
        self.paint_frame(painter)
