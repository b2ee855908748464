"""Widgets that are taken away can still send signals until they are gone."""

import gc

from PyQt6.QtWidgets import QLineEdit, QWidget

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
