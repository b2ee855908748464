"""A seeded hand that presses everything: commands, numbers, drags, frames, things to choose."""

import random

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from estompe.app.commands import COMMANDS
from estompe.app.widgets.number import NumberField

# These ask for a file, end the session or open another one; subdividing time and again takes minutes to compute.
_ELSEWHERE = {
    "subdivide_there", "new_scene", "open_file", "save", "save_as", "import_mesh", "export_scene", "export_sequence",
    "save_picture", "import_shot", "use_setup", "collect",
    "start_sheet", "close", "about", "show_log", "theme_paper", "theme_charcoal", "theme_desktop", "undo", "redo",
}  # fmt: skip
_TYPED = ("0", "1", "-1", "0.25", "1e9", "nan", "", "abc", "12", "=frame/10", "=1/0", "=nobody")


class Wanderer:
    """A seeded hand: the same walk on every run."""

    def __init__(self, driver, seed: int) -> None:
        self.driver, self.random, self.last = driver, random.Random(seed), ""
        self.commands = [command.name for command in COMMANDS if command.name not in _ELSEWHERE]

    def step(self) -> None:
        """One thing a person might do."""
        self.random.choice(self.acts())()

    def acts(self) -> tuple:
        """What a person might do, as often as it is listed."""
        return self.command, self.command, self.type_number, self.drag, self.go, self.choose

    def command(self) -> None:
        self.last = self.random.choice(self.commands)
        self.driver.window.run(self.last)

    def type_number(self) -> None:
        fields = [f for f in self.driver.window.findChildren(NumberField) if f.isVisible() and f.isEnabled()]
        if not fields:
            return
        field = self.random.choice(fields)
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_Return)
        # A number that is painted over by a link, or about to go, opens no editor.
        for editor in [found for found in field.findChildren(QLineEdit) if found.isVisible()]:
            editor.selectAll()
            QTest.keyClicks(editor, self.random.choice(_TYPED))
            QTest.keyClick(editor, self.random.choice((Qt.Key.Key_Return, Qt.Key.Key_Escape)))

    def drag(self) -> None:
        view = self.driver.view
        if not view.isVisible():
            return
        ends = [
            (self.random.randrange(10, view.width() - 10), self.random.randrange(60, view.height() - 10))
            for _ in range(2)
        ]
        self.driver.drag(view, *ends, steps=3)

    def go(self) -> None:
        self.driver.session.playhead.go(self.random.randrange(1, 140))

    def choose(self) -> None:
        scene = self.driver.session.document.scene
        if scene.shapes:
            self.driver.session.selection.choose_shape(self.random.choice(scene.shapes).id)
        if scene.falloffs:
            self.driver.session.selection.choose_falloff(self.random.choice(scene.falloffs).id)
