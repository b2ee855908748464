"""Widgets that are taken away can still send signals until they are gone."""

import gc

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QWidget

from estompe.app.widgets.number import NumberField
from estompe.app.widgets.removal import remove_widget


def _editor(holder: QWidget, heard: list[str]) -> QLineEdit:
    editor = QLineEdit("typed", holder)
    editor.editingFinished.connect(lambda: heard.append(editor.text()))
    return editor


def test_a_signal_between_leaving_and_going_finds_what_its_slot_needs(qapp):  # noqa: ARG001 - there must be one
    holder, heard = QWidget(), []
    remove_widget(_editor(holder, heard))
    gc.collect()
    holder.findChild(QLineEdit).editingFinished.emit()
    assert heard == ["typed"]


def test_a_formula_refused_in_a_sheet_that_goes_keeps_no_focus_there(sample):
    sample.window.run("routing")
    sheet = sample.window.sheets.currentWidget()
    field = next(field for field in sheet.findChildren(NumberField) if field.isVisible() and field.isEnabled())
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Return)
    QTest.keyClicks(field.findChild(QLineEdit), "=nobody")
    sample.window.sheets.show_view()
    focused = sample.window.focusWidget()
    assert focused is None or sample.window.isAncestorOf(focused)
