"""Someone who presses everything: nothing fails, all of it can be saved and opened, and undo leads all the way back."""

import pytest
from PyQt6.QtCore import QPointF, Qt

from estompe.document.file import load, save
from estompe.evaluation import evaluate
from estompe.samples import sample as sample_named
from tests.app.wandering import Wanderer


@pytest.mark.parametrize(
    ("name", "seed"),
    [("lantern-amphora", 1), ("buoy-fender", 2), ("octopus-arm", 3), ("sea-fans", 4), ("pennants-gull", 115)],
)
def test_a_walk_through_everything_can_be_saved_and_undone(driver, name, seed, tmp_path):
    item = sample_named(name)
    driver.session.begin(item.build(0.05), None, item.title)
    driver.settle()
    begun, wanderer = driver.session.document.scene, Wanderer(driver, seed)
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
