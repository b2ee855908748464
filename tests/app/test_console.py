"""The Console: lines act on the open scene, each is a step of undo, and errors leave it as it was."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from estompe.app.sheets.console_sheet import ConsoleSheet


@pytest.fixture
def console(sample):
    sample.keys(Qt.Key.Key_F8)
    sheet = sample.window.sheets.currentWidget()
    assert isinstance(sheet, ConsoleSheet)
    assert sample.view.isVisible()
    return sample, sheet


def enter(sheet, text):
    sheet.line.setText(text)
    QTest.keyClick(sheet.line, Qt.Key.Key_Return)


def test_a_line_changes_the_scene_as_one_step_of_undo(console):
    sample, sheet = console
    before = sample.session.document.scene
    enter(sheet, "scene.shape('box', name='Crate').add(es.Push(0.1), by=scene.falloffs[0])")
    assert sample.session.document.scene.shapes[-1].name == "Crate"
    assert sample.session.document.undo_label.startswith("Console: scene.shape")
    sample.settle()
    sample.session.document.undo()
    assert sample.session.document.scene is before


def test_what_is_picked_is_at_hand_and_numbers_are_said(console):
    sample, sheet = console
    sample.session.selection.choose_control("lantern")
    enter(sheet, "")
    enter(sheet, "picked[0].place(position=(0.5, 1.0, 0.25))")
    assert sample.place_of("lantern").tolist() == [0.5, 1.0, 0.25]
    enter(sheet, "1 + 41")
    assert "42" in sheet.output.toPlainText().splitlines()


def test_an_error_is_said_and_changes_nothing(console):
    sample, sheet = console
    before = sample.session.document.scene
    for text, words in (
        ("scene.shape('bax')", "did you mean"),
        ("1 / 0", "ZeroDivisionError"),
        ("1 +", "SyntaxError"),
        ("(1", ""),
    ):
        enter(sheet, text)
        assert words in sheet.output.toPlainText()
    enter(sheet, ")")
    assert sample.session.document.scene is before


def test_lines_are_completed_and_brought_back(console):
    _, sheet = console
    sheet.line.setText("es.Press")
    QTest.keyClick(sheet.line, Qt.Key.Key_Tab)
    assert "es.PressDown" in sheet.output.toPlainText()
    sheet.line.setText("scene.fallo")
    QTest.keyClick(sheet.line, Qt.Key.Key_Tab)
    assert sheet.line.text().startswith("scene.falloff")
    enter(sheet, "2 + 3")
    QTest.keyClick(sheet.line, Qt.Key.Key_Up)
    assert sheet.line.text() == "2 + 3"


def test_exit_closes_the_sheet_and_not_the_window(console):
    sample, sheet = console
    enter(sheet, "raise SystemExit")
    assert sample.window.sheets.currentWidget() is sample.view
    assert sample.window.isVisible()


def test_an_edit_in_the_window_stays_when_the_next_line_is_run(console):
    sample, sheet = console
    enter(sheet, "first = scene.controls[0]")
    sample.session.document.put(("first",), 7, "Set the first frame")
    edited = sample.session.document.scene
    enter(sheet, "1 + 1")
    assert sample.session.document.scene is edited
    enter(sheet, "scene.shape('box')")
    scene = sample.session.document.scene
    assert (scene.first, len(scene.shapes)) == (7, len(edited.shapes) + 1)


def test_a_handle_that_was_kept_acts_on_the_scene_as_it_is_now(console):
    sample, sheet = console
    enter(sheet, "kept = scene.shape('box', name='Crate')")
    enter(sheet, "kept.add(es.Push(0.1))")
    assert len(sample.session.document.scene.shapes[-1].effects) == 1
    sample.session.document.undo()
    sample.session.document.undo()
    enter(sheet, "kept.add(es.Push(0.1))")  # the crate is gone
    assert sheet.output.toPlainText().splitlines()[-1].endswith("is not in this scene")
