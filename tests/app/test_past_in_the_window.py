"""What is remembered, in the window: worked out without blocking, said while it is, stopped, gone on with, and kept."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton

from estompe.app.sheets.land_sheet import CoursePlot, LandSheet
from estompe.document import edits
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import StateFolder, default_folder
from estompe.kinds import registry
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Formula
from tests.remembering import GATE, LAST, Slow, registered_slow, source, watched


@pytest.fixture
def slow(driver):
    """A sheet whose steps wait for the test, shown on the first frame."""
    before = dict(registry._KINDS[Source])
    registered_slow()
    GATE.close()
    project = watched(Slow("near"))
    driver.session.begin(project, None, "slow")
    driver.session.selection.choose_falloff("watching")
    driver.settle()
    yield driver
    GATE.let_all()
    driver.settle()
    registry._KINDS[Source].clear()
    registry._KINDS[Source].update(before)


def _behind(driver) -> str:
    return driver.session.past.words


def test_the_last_valid_picture_stays_and_says_so_while_the_past_is_worked_out(slow):
    slow.session.playhead.go(20)
    QTest.qWait(50)
    GATE.let(5)
    slow.qtbot.waitUntil(lambda: "on the way to 20" in _behind(slow), timeout=10_000)
    assert "frame 1 is shown" in _behind(slow)
    assert slow.session.evaluator.answer.request.frame == 1
    # The interface goes on meanwhile: an effect is tuned, and a frame that is there is shown at once.
    GATE.let_all()
    slow.settle()
    assert slow.session.evaluator.answer.request.frame == 20
    assert _behind(slow) == ""
    assert slow.session.past.standing.kept >= set(range(1, 21))


def test_escape_stops_and_another_frame_goes_on_from_there(slow):
    slow.session.playhead.go(20)
    QTest.qWait(50)
    GATE.let(6)
    slow.qtbot.waitUntil(lambda: "on the way" in _behind(slow), timeout=10_000)
    slow.keys(Qt.Key.Key_Escape)
    GATE.let(1)
    slow.qtbot.waitUntil(lambda: "stopped on the way to 20" in _behind(slow), timeout=10_000)
    done = GATE.steps
    QTest.qWait(100)
    assert GATE.steps == done
    assert not slow.session.past.stop()
    GATE.let_all()
    slow.session.playhead.go(21)
    slow.settle()
    assert _behind(slow) == ""
    # What had been worked out was not worked out again.
    assert len(slow.session.past.standing.kept) >= 21


def test_an_edit_restarts_from_the_first_frame_that_differs(slow):
    GATE.let_all()
    slow.session.playhead.go(LAST)
    slow.settle()
    steps = GATE.steps
    path = ("controls", "lamp", "transform", "position", 0)
    keyed = slow.get(*path)
    keys = (*keyed.keys[:2], type(keyed.keys[2])(keyed.keys[2].frame, 0.7, "linear"))
    GATE.close()
    slow.session.document.commit(edits.put(slow.session.document.scene, path, type(keyed)(keys)), "Move the lamp")
    GATE.let(3)
    slow.qtbot.waitUntil(lambda: "before the change" in _behind(slow), timeout=10_000)
    slow.qtbot.waitUntil(lambda: slow.session.past.standing.stale_from is not None, timeout=10_000)
    assert slow.session.past.standing.stale_from >= 21
    GATE.let_all()
    slow.settle()
    slow.qtbot.waitUntil(lambda: slow.session.past.standing.stale_from is None, timeout=10_000)
    assert GATE.steps - steps == LAST - 20


def test_the_card_says_how_far_it_is(slow):
    GATE.let_all()
    slow.session.selection.choose_falloff("watching", "layer-0")
    slow.session.playhead.go(12)
    slow.settle()
    slow.qtbot.waitUntil(lambda: "worked out to" in slow.session.past.about("layer-0"), timeout=10_000)
    text = slow.session.past.about("layer-0")
    assert text.startswith("remembers from frame 1, a step a frame, 2.")
    assert "KB a state" in text
    assert slow.window.measure._remembered[1].isVisible()
    assert slow.window.measure._remembered[1].text() == slow.session.past.about("layer-0")


def test_a_falloff_is_retimed_from_its_panel(driver):
    driver.session.begin(watched(source("stays", "near")), None, "stays")
    driver.session.selection.choose_falloff("watching")
    driver.settle()
    plain = driver.session.evaluator.worker
    driver.session.playhead.go(20)
    driver.settle()
    there = driver.session.evaluator.answer.current.strength.copy()
    driver.click(driver.button(driver.window.measure, "earlier"))
    assert driver.get("falloffs", "watching", "at_frame") == Formula("frame - 12")
    driver.session.playhead.go(32)
    driver.settle()
    assert (driver.session.evaluator.answer.current.strength == there).all()
    driver.type_into(driver.field("falloffs", "watching", "at_frame"), "20")
    driver.settle()
    assert (driver.session.evaluator.answer.current.strength == there).all()
    driver.click(driver.button(driver.window.measure, "now"))
    assert driver.get("falloffs", "watching", "at_frame") is None
    driver.keys(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert driver.get("falloffs", "watching", "at_frame") == 20.0
    assert plain is driver.session.evaluator.worker


def test_what_the_window_worked_out_is_there_after_a_restart(driver):
    project = watched(source("spread", "near"))
    driver.session.begin(project, None, "spread")
    driver.session.playhead.go(15)
    driver.settle()
    past = Past(project, Memo(), Keep(folder=StateFolder(default_folder())))
    evaluate(project, 15, past.memo, None, past)
    assert past.steps == 0


def test_states_are_kept_with_the_scene_from_the_menu(driver):
    driver.session.begin(watched(source("spread", "near")), None, "spread")
    driver.settle()
    driver.window.run("keep_states")
    driver.qtbot.waitUntil(lambda: bool(driver.session.document.scene.states), timeout=20_000)
    assert len(driver.session.document.scene.states) == LAST
    assert set(driver.session.document.project.assets) >= {item.asset for item in driver.session.document.scene.states}
    driver.settle()
    driver.window.run("drop_states")
    assert not driver.session.document.scene.states
    driver.keys(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(driver.session.document.scene.states) == LAST


def test_ways_to_land_are_shown_and_one_is_taken_as_one_step(driver):
    project = watched(source("spread", "near", 0.1, 6.0))
    driver.session.begin(project, None, "spread")
    driver.session.selection.choose_falloff("watching")
    driver.session.selection.choose_shape("sheet")
    driver.session.playhead.go(30)
    driver.settle()
    driver.window.run("land")
    sheet = driver.window.sheets.sheet
    assert isinstance(sheet, LandSheet)
    assert sheet.frame.value() == 30
    sheet.number.setCurrentIndex(sheet.number.findText("Watching Spread rise"))
    driver.click(driver.button(sheet, "Find the ways"))
    driver.qtbot.waitUntil(lambda: len(sheet.findChildren(CoursePlot)) >= 4, timeout=30_000)
    take = [b for b in sheet.findChildren(QAbstractButton) if b.accessibleName().startswith("Take Watching")]
    driver.click(take[0])
    driver.settle()
    assert driver.window.sheets.sheet is None
    assert driver.session.playhead.frame == 30
    course = driver.session.evaluator.answer.current
    assert course.past_half == pytest.approx(0.5, abs=0.03)
    driver.window.run("undo")
    assert driver.session.document.scene is project.scene


def test_what_cannot_land_is_said_in_the_sheet(driver):
    driver.session.begin(watched(source("stays", "near")), None, "stays")
    driver.session.selection.choose_falloff("watching")
    driver.session.selection.choose_shape("sheet")
    driver.settle()
    driver.window.run("land")
    sheet = driver.window.sheets.sheet
    sheet.share.setValue(99)
    driver.click(driver.button(sheet, "Find the ways"))
    driver.qtbot.waitUntil(lambda: "never reached" in sheet.trouble.text(), timeout=30_000)
    assert len(sheet.findChildren(CoursePlot)) == 1


def test_lines_of_arrival_follow_the_falloff_as_it_is_tuned(driver):
    driver.session.begin(watched(source("stays", "near")), None, "stays")
    driver.session.selection.choose_falloff("watching")
    driver.session.selection.choose_shape("sheet")
    driver.settle()
    driver.window.run("fronts")
    driver.qtbot.waitUntil(lambda: bool(driver.session.fronts.lines), timeout=20_000)
    before = [(line.frame, len(line.segments)) for line in driver.session.fronts.lines]
    driver.session.document.put(("falloffs", "near", "range", "gone"), 0.5, "Widen")
    driver.qtbot.waitUntil(
        lambda: [(line.frame, len(line.segments)) for line in driver.session.fronts.lines] != before, timeout=20_000
    )
    driver.window.run("fronts")
    assert not driver.session.fronts.lines
