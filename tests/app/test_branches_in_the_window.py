"""Branches by hand: added from the palette with Sprout, grown by a drag, with buds, as a set-up, undone and saved."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from estompe.document import edits, file
from estompe.effects.sprout import Sprout
from estompe.geometry import Domain


def _add(sample, family, words):
    sample.window.add(family)
    palette = sample.window.palette_shown
    QTest.keyClicks(palette.line, words)
    QTest.keyClick(palette.line, Qt.Key.Key_Return)
    sample.settle()


def test_branches_come_with_sprout_and_grow_while_a_number_is_changed(sample, tmp_path):
    session = sample.session
    _add(sample, "shape", "veins")
    shape = session.selection.shape
    assert shape.source.surface == session.document.scene.shapes[0].id
    assert [type(slot.effect) for slot in shape.effects] == [Sprout]
    slot = shape.effects[0].id
    sample.window.drive.open_card(slot)
    sample.settle()
    whole = session.evaluator.answer.frame[shape.id]
    assert not session.evaluator.answer.frame.problems
    assert "twigs" in Sprout.summary(whole)
    sample.type_into(sample.field("shapes", shape.id, "effects", slot, "effect", "grown"), "40")
    sample.settle()
    part = session.evaluator.answer.frame[shape.id]
    assert part.topology is whole.topology
    width = part.attribute(Domain.POINT, "width")
    assert 0.0 < (width > 0.0).mean() < 1.0
    _add(sample, "shape", "leaves")
    buds = session.selection.shape
    assert buds.source.branches == shape.id
    assert not session.evaluator.answer.frame.problems
    file.save(session.document.project, tmp_path / "veins.estompe")
    assert file.load(tmp_path / "veins.estompe").scene == session.document.scene


def test_buds_without_branches_say_what_is_missing(sample):
    before = sample.session.document.scene
    _add(sample, "shape", "blossoms")
    assert "needs a shape of branches" in sample.window.status.message.text()
    assert sample.session.document.scene == before


def test_a_set_up_of_frost_is_one_step_and_held_back_by_its_control(sample):
    session = sample.session
    scene = session.document.scene
    _add(sample, "recipe", "winter")
    session.playhead.go(scene.last)
    sample.settle()
    shape, control = session.selection.shape_id, session.selection.picked[1]
    mesh = session.evaluator.answer.frame[shape]
    there = (mesh.attribute(Domain.POINT, "width") > 0.0).sum()
    path = ("controls", control, "transform", "position")
    session.document.commit(edits.put(session.document.scene, path, (9.0, 9.0, 9.0)), "Away")
    sample.settle()
    away = (session.evaluator.answer.frame[shape].attribute(Domain.POINT, "width") > 0.0).sum()
    assert there > 1000
    assert away == 0
    session.document.undo()
    session.document.undo()
    assert session.document.scene == scene
    assert np.isfinite(mesh.points).all()
