"""Keeping work: open, save, recent files, asking before it is lost, autosave and recovery."""

import json
import os
import signal
import subprocess
import sys
import threading

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QToolButton

from estompe.app import preferences
from estompe.app.model import recovery
from estompe.app.preferences import Preferences
from estompe.app.sheets.help_sheet import HelpSheet
from estompe.app.sheets.start_sheet import StartSheet
from estompe.app.widgets.removal import remove_widget
from estompe.app.window import Window
from estompe.document import file
from estompe.document.scene import RampPoint

CONTROL = Qt.KeyboardModifier.ControlModifier


def _answer(monkeypatch, button) -> list[str]:
    asked: list[str] = []

    def question(_parent, _title, text, *_):
        asked.append(text)
        return button

    monkeypatch.setattr(QMessageBox, "question", question)
    return asked


def test_save_as_open_and_recent_files(sample, tmp_path, monkeypatch):
    target = tmp_path / "kept"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    sample.session.document.put(("last",), 100, "Shorter")
    assert "*" in sample.window.title.text()
    sample.keys(Qt.Key.Key_S, CONTROL)
    saved = target.with_suffix(".estompe")
    assert file.load(saved).scene == sample.session.document.scene
    assert sample.window.title.text() == "kept.estompe"
    assert not sample.session.document.unsaved
    assert preferences.load().recent == [str(saved)]
    sample.session.document.put(("last",), 90, "Shorter still")
    sample.keys(Qt.Key.Key_S, CONTROL)
    assert file.load(saved).scene.last == 90
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(saved), ""))
    with sample.qtbot.waitSignal(sample.session.document.project_changed, timeout=10_000):
        sample.keys(Qt.Key.Key_O, CONTROL)
    assert sample.session.document.scene.last == 90
    assert sample.session.document.undo_label is None


def test_an_edit_that_could_not_be_opened_again_is_not_made_and_says_why(sample):
    before = sample.session.document.scene
    ramp = ("falloffs", "lantern-glow", "ramp")
    sample.session.document.put(ramp, tuple(RampPoint(i / 70, 0.5) for i in range(65)), "Add a point")
    assert sample.session.document.scene is before
    assert "at most 64" in sample.window.status.message.text()
    assert sample.session.document.undo_label is None
    sample.type_into(sample.field("last"), "1e9")
    sample.settle()
    assert sample.session.document.scene.last == 144


def test_a_broken_scene_file_leaves_the_open_one(sample, tmp_path):
    (tmp_path / "bad.estompe").write_bytes(b"no")
    before = sample.session.document.scene
    with sample.qtbot.waitSignal(sample.window.work.failed, timeout=10_000):
        sample.window.files.open(tmp_path / "bad.estompe")
    assert "not a scene file" in sample.window.status.message.text()
    assert sample.session.document.scene is before


@pytest.mark.parametrize(
    ("button", "closes"),
    [(QMessageBox.StandardButton.Cancel, False), (QMessageBox.StandardButton.Discard, True)],
)
def test_closing_asks_when_unsaved(sample, monkeypatch, button, closes):
    asked = _answer(monkeypatch, button)
    sample.session.document.put(("last",), 77, "Shorter")
    event = QCloseEvent()
    sample.window.closeEvent(event)
    assert event.isAccepted() is closes
    assert asked == ["“small” has changes that are not saved."]


def test_closing_does_not_ask_when_all_is_saved(sample, monkeypatch):
    asked = _answer(monkeypatch, QMessageBox.StandardButton.Cancel)
    event = QCloseEvent()
    sample.window.closeEvent(event)
    assert event.isAccepted()
    assert asked == []


def test_closing_can_save_first(sample, tmp_path, monkeypatch):
    _answer(monkeypatch, QMessageBox.StandardButton.Save)
    sample.window.files.save_to(tmp_path / "s.estompe")
    sample.session.document.put(("last",), 55, "Shorter")
    event = QCloseEvent()
    sample.window.closeEvent(event)
    assert event.isAccepted()
    assert file.load(tmp_path / "s.estompe").scene.last == 55


def test_saving_where_one_may_not_says_so_and_keeps_it_unsaved(sample, tmp_path):
    sample.session.document.put(("last",), 55, "Shorter")
    assert not sample.window.files.save_to(tmp_path / "no" / "x.estompe")
    assert "cannot be written" in sample.window.status.message.text()
    assert sample.session.document.unsaved


_CRASHING = """
import os, signal, sys
from PyQt6.QtWidgets import QApplication
from estompe.app.preferences import Preferences
from estompe.app.window import Window
from estompe.samples import lantern_amphora
app = QApplication([])
window = Window(Preferences())
window.session.begin(lantern_amphora.build(0.02), None, "Storm night")
window.session.document.put(("last",), 99, "Shorter")
window.autosave.write()
window.autosave.wait()
os.kill(os.getpid(), signal.SIGKILL)
"""


@pytest.mark.usefixtures("qapp")
def test_after_a_crash_the_work_is_offered_and_recovered():
    done = subprocess.run([sys.executable, "-c", _CRASHING], env=os.environ, check=False)
    assert done.returncode == -signal.SIGKILL
    window = Window(Preferences())
    window.show()
    QTest.qWaitForWindowExposed(window)
    sheet = window.findChild(StartSheet)
    button = next(
        b for b in sheet.findChildren(type(sheet.findChild(QToolButton)).__mro__[1]) if b.text() == "Recover it"
    )
    button.click()
    assert window.session.document.scene.last == 99
    assert window.session.document.title == "Storm night"
    assert window.session.document.unsaved
    window.autosave.wait()
    assert recovery.lost() == []
    window.shut_down()
    window.hide()
    remove_widget(window)


def test_autosaves_of_running_windows_are_not_offered(sample):
    sample.session.document.put(("last",), 99, "Shorter")
    sample.window.autosave.write()
    sample.window.autosave.wait()
    assert len(list(recovery.folder().iterdir())) == 3  # scene, note and lock
    assert recovery.lost() == []
    sample.window.autosave.forget()
    assert list(recovery.folder().iterdir()) == []


def test_a_damaged_autosave_is_passed_over():
    recovery.folder().mkdir(parents=True)
    (recovery.folder() / "999999999.json").write_text("{")
    (recovery.folder() / "999999999.estompe").write_text("")
    assert recovery.lost() == []


def test_damaged_preferences_are_replaced_by_fresh_ones(tmp_path):
    folder = tmp_path / "config" / "estompe"
    folder.mkdir(parents=True)
    (folder / "preferences.json").write_text('{"recent": 5}')
    assert preferences.load().recent == []


def test_the_start_sheet_opens_the_sample(driver):
    sheet = driver.window.findChild(StartSheet)
    driver.click(driver.button(sheet, "Lantern and amphora"))
    driver.settle()
    assert driver.session.document.title == "Lantern and amphora"
    assert driver.window.sheets.currentWidget() is driver.view


def test_help_lists_every_shortcut_and_they_can_be_changed(sample):
    sample.keys(Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    sheet = sample.window.findChild(HelpSheet)
    assert sheet.edits["play"].keySequence().toString() == "Space"
    sheet.changed.emit("play", "P")
    assert sample.window.actions_by_name["play"].shortcut().toString() == "P"
    assert preferences.load().shortcuts["play"] == "P"
    sheet.changed.emit("fit", "P")
    assert sample.window.actions_by_name["play"].shortcut().toString() == ""
    sample.keys(Qt.Key.Key_Escape)
    assert sample.window.sheets.currentWidget() is sample.view


def test_undo_is_named_in_the_menu(sample):
    sample.session.selection.choose_control("lantern")
    sample.session.document.put(("controls", "lantern", "transform", "scale"), (2.0, 2.0, 2.0), "Scale Lantern")
    menu = sample.menu("Edit")
    assert sample.window.actions_by_name["undo"].text() == "Undo Scale Lantern"
    sample.session.document.undo()
    sample.window._pull_menu(menu)
    assert sample.window.actions_by_name["redo"].text() == "Redo Scale Lantern"
    assert not sample.window.actions_by_name["undo"].isEnabled()


def test_both_themes_have_enough_contrast(sample):
    from PyQt6.QtGui import QColor

    from estompe.app.theme import THEMES

    def luminance(text: str) -> float:
        channels = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in QColor(text).getRgbF()[:3]]
        return 0.2126 * channels[0] + 0.7152 * channels[1] + 0.0722 * channels[2]

    for theme in THEMES.values():
        for ground in (theme.panel, theme.raised, theme.window):
            for text in (theme.ink, theme.soft, theme.chalk, theme.slate, theme.ochre):
                light, dark = sorted((luminance(ground), luminance(text)), reverse=True)
                assert (light + 0.05) / (dark + 0.05) >= 4.5, (theme.name, ground, text)
    sample.window.run("theme_charcoal")
    assert json.loads((preferences._file()).read_text())["theme"] == "charcoal"
    sample.settle()


def test_tab_goes_to_the_next_falloff_while_the_view_has_the_focus(sample):
    sample.view.setFocus()
    sample.keys(Qt.Key.Key_Tab)
    assert sample.session.selection.falloff_id == "swell"
    sample.keys(Qt.Key.Key_Tab)
    assert sample.session.selection.falloff_id == "lantern-glow"


def test_problems_are_listed_on_demand(sample):
    sample.window.run("list_problems")
    assert sample.window.status.message.text() == "nothing is wrong on this frame"
    sample.window.cast.remove(("controls", "lantern"))
    sample.settle()
    sample.window.run("list_problems")
    assert sample.window.status.message.text().startswith("“Lantern glow”: Distance: it looks at a control")


def test_the_window_never_waits_for_evaluation(sample, monkeypatch):
    """Everything answers while a frame is computed that does not come to an end."""
    from estompe.evaluation.background import worker

    let_go, really = threading.Event(), worker.compute_answer

    def held_up(*asked):
        assert let_go.wait(60)
        return really(*asked)

    monkeypatch.setattr(worker, "compute_answer", held_up)
    before = sample.session.evaluator.answer
    sample.session.document.put(("falloffs", "lantern-glow", "range", "gone"), 1.5, "Change")
    sample.keys(Qt.Key.Key_Period)
    QTest.qWait(100)
    assert sample.session.playhead.frame == 2
    assert sample.session.evaluator.answer is before
    let_go.set()
    sample.settle()
    assert sample.session.evaluator.answer.frame.falloff("lantern-glow").range.gone == 1.5
