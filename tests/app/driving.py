"""Hands for tests: press, drag, type, and wait until the window has caught up."""

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLineEdit, QMenu, QScrollArea, QWidget

from estompe.app.widgets.number import NumberField
from estompe.document import edits

LEFT, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton


class Driver:
    """Drives one window."""

    def __init__(self, window, qtbot) -> None:
        self.window, self.qtbot = window, qtbot
        self.session, self.view = window.session, window.view

    def settle(self) -> None:
        """Wait until the present scene and frame are computed, shown, and drawn with smooth edges."""

        def caught_up() -> bool:
            answer = self.session.evaluator.answer
            return (
                answer is not None
                and answer.request.project.scene is self.session.document.scene
                and answer.request.frame == self.session.playhead.frame
                and answer.request.rough == 1.0
                and answer.request.falloff == self.session.selection.falloff_id
                and answer.request.shape == self.session.selection.shape_id
                and (self.view.is_still or not self.view.isVisible())
            )

        QTest.qWait(20)
        self.qtbot.waitUntil(caught_up, timeout=60_000)

    def keys(self, key, modifier=Qt.KeyboardModifier.NoModifier, on: QWidget | None = None) -> None:
        """Press a key in a widget, by default in the view."""
        QTest.keyClick(on or self.view, key, modifier)
        QTest.qWait(5)

    def drag(
        self, widget: QWidget, begin, end, button=LEFT, steps: int = 6, modifier=Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Press, move in steps, and let go."""
        a, b = QPointF(*begin), QPointF(*end)
        QTest.mouseMove(widget, a.toPoint())
        QTest.mousePress(widget, button, modifier, a.toPoint())
        for step in range(1, steps + 1):
            self.move(widget, a + (b - a) * (step / steps), button, modifier)
        QTest.mouseRelease(widget, button, modifier, b.toPoint())
        QTest.qWait(5)

    @staticmethod
    def move(
        widget: QWidget, at: QPointF, button=Qt.MouseButton.NoButton, modifier=Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Move the pointer, with a button held."""
        from PyQt6.QtCore import QEvent
        from PyQt6.QtGui import QMouseEvent

        place = QPointF(at)
        event = QMouseEvent(QEvent.Type.MouseMove, place, widget.mapToGlobal(place), button, button, modifier)
        QApplication.sendEvent(widget, event)

    def click(self, widget: QWidget, at=None) -> None:
        """Click a widget, in its middle unless a place is given."""
        self.scroll_to(widget)
        place = QPoint(*map(round, at)) if at is not None else widget.rect().center()
        QTest.mouseClick(widget, LEFT, Qt.KeyboardModifier.NoModifier, place)
        QTest.qWait(5)

    @staticmethod
    def scroll_to(widget: QWidget) -> None:
        """Scroll until a widget can be seen, as one does before one clicks it."""
        QTest.qWait(5)  # until it has been laid out
        area = widget.parentWidget()
        while area is not None:
            if isinstance(area, QScrollArea):
                area.ensureWidgetVisible(widget, 0, 4)
            area = area.parentWidget()

    def button(self, parent: QWidget, name: str) -> QAbstractButton:
        """A visible button by its text or accessible name."""
        found = [
            b for b in parent.findChildren(QAbstractButton) if name in (b.text(), b.accessibleName()) and b.isVisible()
        ]
        assert found, f"no button {name!r}"
        return found[0]

    def menu(self, name: str) -> QMenu:
        """A menu of the window as it is when it opens."""
        menu = next(item for item in self.window.menu_bar.findChildren(QMenu) if item.title() == name)
        menu.aboutToShow.emit()
        return menu

    def field(self, *path) -> NumberField:
        """The visible field of a number."""
        found = [f for f in self.window.findChildren(NumberField) if f.path == path and f.isVisible()]
        assert found, f"no field for {path}"
        return found[0]

    def type_into(self, field: NumberField, text: str) -> None:
        """Focus a field and type a value, as a person would."""
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_Return)
        (editor,) = [found for found in field.findChildren(QLineEdit) if found.isVisible()]
        editor.selectAll()
        QTest.keyClick(editor, Qt.Key.Key_Delete)
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Return)
        QTest.qWait(5)

    def pixel(self, place) -> tuple[float, float]:
        """Where a world place is in the view."""
        (pixel,), _ = self.view.viewpoint.project(np.array([place], float), *self.view.extent)
        return float(pixel[0]), float(pixel[1])

    def get(self, *path):
        """A part of the scene."""
        return edits.get(self.session.document.scene, path)

    def place_of(self, control: str) -> np.ndarray:
        """Where a control is on this frame."""
        return np.array(
            [self.session.numbers.number(("controls", control, "transform", "position", axis)) for axis in range(3)]
        )
