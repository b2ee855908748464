"""The shortcuts, which can be changed here."""

from collections.abc import Sequence
from typing import NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QKeySequenceEdit, QScrollArea, QVBoxLayout, QWidget

from estompe.app.widgets.labels import Head, hairline, icon_button, label


class Shortcut(NamedTuple):
    """A command by name, what it is called, and its keys."""

    command: str
    text: str
    keys: str


_POINTER = (
    ("Drag on nothing, or with the middle button", "turn the view"),
    ("The same with Shift", "move the view sideways"),
    ("Wheel", "nearer or farther"),
    ("Drag a shell", "change the range"),
    ("Drag a number, Shift finer, Ctrl coarser", "change it"),
    ("Ctrl while dragging marks", "copy keys"),
    ("Alt with arrow up or down", "reorder a focused row or card"),
)


class HelpSheet(QWidget):
    """closed() and changed(command, keys)."""

    closed = pyqtSignal()
    changed = pyqtSignal(str, str)

    def __init__(self, shortcuts: Sequence[Shortcut]) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.edits: dict[str, QKeySequenceEdit] = {}
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(32, 16, 32, 16)
        top = QHBoxLayout()
        top.addWidget(Head("Shortcuts"), 1)
        close = icon_button("remove", "Close help")
        close.clicked.connect(self.closed)
        top.addWidget(close)
        column.addLayout(top)
        column.addWidget(hairline())
        column.addWidget(label("Click a shortcut and press other keys to change it.", "soft"))
        column.addLayout(self._keys(shortcuts))
        column.addWidget(Head("Pointer"))
        column.addWidget(hairline())
        column.addLayout(self._pointer())
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)

    def _keys(self, shortcuts: Sequence[Shortcut]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(3)
        half = (len(shortcuts) + 1) // 2
        for index, shortcut in enumerate(shortcuts):
            edit = QKeySequenceEdit(QKeySequence(shortcut.keys))
            edit.setMaximumSequenceLength(1)
            edit.setFixedWidth(120)
            edit.setAccessibleName(f"Shortcut of {shortcut.text}")
            edit.editingFinished.connect(lambda name=shortcut.command, edit=edit: self._edited(name, edit))
            self.edits[shortcut.command] = edit
            side = 0 if index < half else 2
            grid.addWidget(label(shortcut.text), index % half, side)
            grid.addWidget(edit, index % half, side + 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(2, 1)
        return grid

    def _edited(self, name: str, edit: QKeySequenceEdit) -> None:
        self.changed.emit(name, edit.keySequence().toString())

    @staticmethod
    def _pointer() -> QGridLayout:
        grid = QGridLayout()
        for row, (what, does) in enumerate(_POINTER):
            grid.addWidget(label(what, "soft"), row, 0)
            grid.addWidget(label(does), row, 1)
        grid.setColumnStretch(1, 1)
        return grid
