"""Winds and loose pieces by hand: added from the palette, seen in the Cast and in the view, set, chosen, undone and saved."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from estompe.document import edits, file
from estompe.geometry import Domain


def _add(sample, family, words):
    sample.window.add(family)
    palette = sample.window.palette_shown
    QTest.keyClicks(palette.line, words)
    QTest.keyClick(palette.line, Qt.Key.Key_Return)


def test_a_wind_is_added_by_other_words_too_and_bends_what_sways(sample, tmp_path):
    _add(sample, "control", "breeze")
    session = sample.session
    wind = session.document.scene.controls[-1]
    assert (wind.form, wind.name) == ("wind", "Wind")
    assert session.selection.picked == ("controls", wind.id)
    sample.type_into(sample.field("controls", wind.id, "wind", "speed"), "3.5")
    assert sample.get("controls", wind.id, "wind", "speed") == 3.5
    sample.settle()
    before = sample.view.grab().toImage()
    session.document.commit(edits.put(session.document.scene, ("controls", wind.id, "visible"), False), "Hide")
    sample.settle()
    assert sample.view.grab().toImage() != before
    session.document.undo()
    _add(sample, "effect", "sway")
    sway = session.selection.shape.effects[-1]
    session.document.commit(
        edits.put(session.document.scene, ("shapes", session.selection.shape_id, "effects", sway.id, "routes"), ()),
        "Whole",
    )
    sample.settle()
    path = ("shapes", session.selection.shape_id, "effects", sway.id, "effect", "blown_by")
    still = session.evaluator.answer.frame[session.selection.shape_id].points
    session.document.commit(edits.put(session.document.scene, path, wind.id), "Blown by")
    sample.settle()
    assert not session.evaluator.answer.frame.problems
    assert np.abs(session.evaluator.answer.frame[session.selection.shape_id].points - still).max() > 0.01
    file.save(session.document.project, tmp_path / "windy.estompe")
    assert file.load(tmp_path / "windy.estompe").scene == session.document.scene


def test_removing_a_wind_says_so_at_what_it_blows(sample):
    _add(sample, "control", "wind")
    session = sample.session
    wind = session.document.scene.controls[-1].id
    _add(sample, "effect", "sway")
    sway = session.selection.shape.effects[-1].id
    path = ("shapes", session.selection.shape_id, "effects", sway, "effect", "blown_by")
    session.document.commit(edits.put(session.document.scene, path, wind), "Blown by")
    sample.window.cast.remove(("controls", wind))
    sample.settle()
    assert "not in the scene" in sample.window.drive.problems.labels[sway].text()


def test_a_shape_falls_to_pieces_in_one_step_and_is_whole_after_undo(sample):
    session = sample.session
    shape, whole = session.selection.shape_id, session.document.scene
    _add(sample, "recipe", "rubble")
    session.playhead.go(40)
    sample.settle()
    mesh = session.evaluator.answer.frame[shape]
    assert not [item for item in session.evaluator.answer.frame.problems if item.path[:2] == ("shapes", shape)]
    loose = mesh.attribute(Domain.PIECE, "loose since") > 0
    assert 0 < loose.sum() < len(loose)
    session.document.undo()
    assert session.document.scene == whole
