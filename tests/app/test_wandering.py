"""Someone who presses everything: nothing fails, all of it can be saved and opened, and undo leads all the way back."""

import random

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from estompe.app.commands import COMMANDS
from estompe.app.widgets.number import NumberField
from estompe.document.file import load, save
from estompe.evaluation import evaluate
from estompe.samples import sample as sample_named

# These ask for a file, end the session or open another one; subdividing time and again takes minutes to compute.
_ELSEWHERE = {
    "subdivide_there", "new_scene", "open_file", "save", "save_as", "import_mesh", "export_scene", "export_sequence",
    "save_picture", "import_shot", "use_setup",
    "start_sheet", "close", "about", "show_log", "theme_paper", "theme_charcoal", "theme_desktop", "undo", "redo",
}  # fmt: skip
_TYPED = ("0", "1", "-1", "0.25", "1e9", "nan", "", "abc", "12", "=frame/10", "=1/0", "=nobody")


class _Wanderer:
    """A seeded hand: the same walk on every run."""

    def __init__(self, driver, seed: int) -> None:
        self.driver, self.random = driver, random.Random(seed)
        self.commands = [command.name for command in COMMANDS if command.name not in _ELSEWHERE]

    def step(self) -> None:
        """One thing a person might do."""
        self.random.choice((self.command, self.command, self.type_number, self.drag, self.go, self.choose))()

    def command(self) -> None:
        self.driver.window.run(self.random.choice(self.commands))

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


@pytest.mark.parametrize(
    ("name", "seed"),
    [("lantern-amphora", 1), ("buoy-fender", 2), ("octopus-arm", 3), ("sea-fans", 4), ("pennants-gull", 115)],
)
def test_a_walk_through_everything_can_be_saved_and_undone(driver, name, seed, tmp_path):
    item = sample_named(name)
    driver.session.begin(item.build(0.05), None, item.title)
    driver.settle()
    begun, wanderer = driver.session.document.scene, _Wanderer(driver, seed)
    for number in range(60):
        wanderer.step()
        if number % 10 == 9:
            driver.qtbot.wait(30)
            save(driver.session.document.project, tmp_path / "walk.estompe")
            assert load(tmp_path / "walk.estompe").scene == driver.session.document.scene
    driver.keys(Qt.Key.Key_Escape)
    while driver.session.document.undo_label is not None:
        driver.session.document.undo()
    assert driver.session.document.scene == begun
    driver.window.time.player.stop()
    driver.window.sheets.show_view()
    driver.settle()
    # Of the scene itself: what happens to be current may be looked at on a shape that it cannot be measured on.
    made = evaluate(driver.session.document.project, driver.session.playhead.frame)
    problems = [item.text for item in made.problems]
    assert not problems
    driver.move(driver.view, QPointF(driver.view.width() / 2, driver.view.height() / 2))
