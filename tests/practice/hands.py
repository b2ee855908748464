"""Hands that count: a click, key, word or drag is one step, a typed number three."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from tests.app.driving import Driver

TYPED = 3
TABLE: dict[str, tuple[int, int]] = {}
"""The steps that each job took and the most it may take, for the table at the end of the run."""


class Hands:
    """Do a job in one window, and count the steps of it."""

    def __init__(self, driver: Driver) -> None:
        self.driver, self.session, self.view = driver, driver.session, driver.view
        self.steps = 0

    def add(self, words: str, expected: str) -> None:
        """Press A, type words and take the first entry, which must be the expected one."""
        self.key(Qt.Key.Key_A)
        palette = self.driver.window.palette_shown
        QTest.keyClicks(palette.line, words)
        self.steps += 1
        first = palette.list.item(palette.list.currentRow()).data(Qt.ItemDataRole.UserRole)
        assert first.name == expected, f"{words} finds {first.name}"
        QTest.keyClick(palette.line, Qt.Key.Key_Return)
        self.steps += 1
        self.driver.settle()

    def key(self, key: Qt.Key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key in the view."""
        self.driver.keys(key, modifier)
        self.steps += 1

    def click(self, widget) -> None:
        """Click a widget."""
        self.driver.click(widget)
        self.driver.settle()
        self.steps += 1

    def click_button(self, parent, name: str) -> None:
        """Click a button by its name."""
        self.click(self.driver.button(parent, name))

    def number(self, path, text: str) -> None:
        """Click a number, type another and press Return."""
        self.driver.type_into(self.driver.field(*path), text)
        self.driver.settle()
        self.steps += TYPED

    def go(self, frame: int) -> None:
        """Click a frame in Time."""
        self.session.playhead.go(frame)
        self.driver.settle()
        self.steps += 1

    def drag_control(self, place) -> None:
        """Drag the picked control by its middle to about a place of the world, in the plane of the picture."""
        control = self.session.selection.picked[1]
        begin, end = self.driver.pixel(self.driver.place_of(control)), self.driver.pixel(place)
        self.driver.drag(self.view, begin, end)
        self.driver.settle()
        self.steps += 1

    def drag_onto(self, place) -> None:
        """Drag the picked control with Alt onto the surface that is seen at a place of the world."""
        control = self.session.selection.picked[1]
        begin, end = self.driver.pixel(self.driver.place_of(control)), self.driver.pixel(place)
        left, alt = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier
        QTest.mousePress(self.view, left, Qt.KeyboardModifier.NoModifier, QPointF(*begin).toPoint())
        for _ in range(40):
            self.driver.move(self.view, QPointF(*end), left, alt)
            QTest.qWait(25)
            if self.view.dropped_at is not None:
                self.driver.move(self.view, QPointF(*end), left, alt)
                break
        QTest.mouseRelease(self.view, left, alt, QPointF(*end).toPoint())
        self.driver.settle()
        self.steps += 1

    def done(self, job: str, most: int) -> None:
        """Note how many steps a job took; they may be no more than so many."""
        TABLE[job] = self.steps, most
        assert self.steps <= most, f"{job} took {self.steps} steps instead of {most}"

    def geometry(self, shape: str):
        """The shape of a name as it is computed now."""
        answer = self.session.evaluator.answer
        found = next(item.id for item in answer.frame.scene.shapes if item.name == shape)
        assert not answer.frame.problems, [problem.text for problem in answer.frame.problems]
        return answer.frame[found]

    def bare(self, shape: str) -> np.ndarray:
        """The points of a shape before its effects."""
        answer = self.session.evaluator.answer
        found = next(item.id for item in answer.frame.scene.shapes if item.name == shape)
        return answer.frame.states_of(found)[0].points
