"""Preferences: what the person chose for this machine and their eyes, taken over at once."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QScrollArea, QSpinBox, QVBoxLayout, QWidget

from estompe.app import units
from estompe.app.preferences import NAVIGATIONS, TEXT_SIZES, Preferences, machine_memory
from estompe.app.session import Session
from estompe.app.widgets.fields import Box, field, rule_of
from estompe.app.widgets.labels import Head, closing_head, hairline, label
from estompe.document.scene import Scene

_THEMES = {"desktop": "as the desktop", "paper": "Paper", "charcoal": "Charcoal"}
_NAVIGATION = {"left": "left on nothing, or middle", "middle": "middle only"}


class PreferencesSheet(QWidget):
    """closed() when it should go. Every change is saved and applied as it is made."""

    closed = pyqtSignal()

    def __init__(self, session: Session, preferences: Preferences, apply: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._preferences, self._apply = session, preferences, apply
        self.boxes: dict[str, Any] = {}
        head = closing_head("Preferences", "the preferences", self.closed.emit)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 12, 0)
        for title, grid in (
            ("Look", self._look()),
            ("View", self._view()),
            ("Memory and speed", self._machine()),
            ("Safety", self._safety()),
            ("This scene", self._scene()),
        ):
            column.addWidget(Head(title))
            column.addWidget(hairline())
            column.addLayout(grid)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 12)
        layout.setSpacing(6)
        layout.addWidget(head)
        layout.addWidget(area, 1)

    def _look(self) -> QGridLayout:
        return _grid(
            ("Theme", self._choice("theme", _THEMES), "Paper is light, Charcoal dark."),
            ("Text", self._choice("text_size", {size: size for size in TEXT_SIZES}), "Size of all words and numbers."),
        )

    def _view(self) -> QGridLayout:
        choices = {name: _NAVIGATION[name] for name in NAVIGATIONS}
        return _grid(("Orbit with", self._choice("navigation", choices), "With Shift the same buttons move sideways."))

    def _machine(self) -> QGridLayout:
        gigabytes = machine_memory() / 2**30
        return _grid(
            (
                "Results",
                self._count("results_mb", 0, 1_000_000, " MB", "automatic"),
                "Results of stages that are kept; a twelfth of the memory by itself.",
            ),
            (
                "Frames",
                self._count("frames_mb", 0, 1_000_000, " MB", "automatic"),
                "Computed frames that are kept; a sixth of the memory by itself.",
            ),
            (
                "Remembered",
                self._count("states_mb", 0, 1_000_000, " MB", "automatic"),
                "States of what the scene remembers; a twelfth of the memory by itself, the rest goes to disk.",
            ),
            ("Threads", self._count("threads", 0, 1024, "", "all"), "How many compute at once."),
            ("This machine", label(f"{gigabytes:.1f} GB of memory"), ""),
        )

    def _safety(self) -> QGridLayout:
        return _grid(
            ("Autosave", self._count("autosave", 5, 3600, " s"), "How often unsaved work is kept."),
            ("Undo", self._count("undo_depth", 0, 100_000, " steps", "all"), "How many steps can be undone."),
        )

    def _scene(self) -> QGridLayout:
        rule = rule_of(Scene, "metres_per_unit")
        self.unit = field(self._session, ("metres_per_unit",), rule)
        named = f"Lengths are shown in {units.named('length')}; it is saved with the scene."
        return _grid(("Scene unit", self.unit, named))

    def _choice(self, name: str, choices: dict[str, str]) -> Box:
        box = Box()
        box.setAccessibleName(name)
        for value, text in choices.items():
            box.addItem(text, value)
        box.setCurrentIndex(max(0, box.findData(getattr(self._preferences, name))))
        box.activated.connect(lambda _: self._set(name, box.currentData()))
        self.boxes[name] = box
        return box

    def _count(self, name: str, low: int, high: int, suffix: str, zero: str = "") -> QSpinBox:
        box = QSpinBox()
        box.setAccessibleName(name)
        box.setRange(low, high)
        box.setSuffix(suffix)
        box.setSpecialValueText(zero if low == 0 else "")
        box.setKeyboardTracking(False)
        box.setValue(getattr(self._preferences, name))
        box.valueChanged.connect(lambda value: self._set(name, value))
        self.boxes[name] = box
        return box

    def _set(self, name: str, value: object) -> None:
        setattr(self._preferences, name, value)
        self._preferences.save()
        self._apply()


def _grid(*rows: tuple[str, QWidget, str]) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(16)
    grid.setVerticalSpacing(6)
    grid.setContentsMargins(4, 6, 0, 10)
    for row, (name, widget, text) in enumerate(rows):
        first = label(name)
        first.setFixedWidth(110)
        grid.addWidget(first, row, 0)
        widget.setFixedWidth(210)
        grid.addWidget(widget, row, 1)
        grid.addWidget(label(text, "soft"), row, 2)
    grid.setColumnStretch(2, 1)
    return grid
