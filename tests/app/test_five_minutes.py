"""A stranger's first five minutes: from a mesh of their own to a keyed, played and exported animation."""

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

import estompe
from estompe.app.commands.file import save_picture_to
from estompe.exchange.writers import obj
from estompe.shapes import primitives

CONTROL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def own_mesh(tmp_path):
    obj.write_mesh(
        primitives.lathe(np.array([[0.0, 0], [0.5, 0.4], [0.2, 1.0]]), 40, 30), "buoy", tmp_path / "buoy.obj"
    )
    return tmp_path / "buoy.obj"


def _drop(driver, path) -> None:
    """Drop a file on the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    driver.window.dropEvent(QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, buttons, keys))
    driver.qtbot.waitUntil(lambda: bool(driver.session.document.scene.shapes), timeout=20_000)


def test_the_whole_way(driver, own_mesh, tmp_path):
    session, window = driver.session, driver.window
    assert window.sheets.currentWidget() is not driver.view  # the start sheet

    _drop(driver, own_mesh)
    driver.settle()
    assert session.selection.shape.name == "buoy"
    assert window.sheets.currentWidget() is driver.view

    driver.keys(Qt.Key.Key_P, CONTROL | SHIFT)
    driver.settle()
    assert [effect.effect.label for effect in session.selection.shape.effects] == ["Push"]
    shown = session.evaluator.answer.current
    assert 0.02 < shown.past_half < 0.6
    assert (
        np.abs(session.evaluator.answer.frame["buoy"].points - session.evaluator.answer.frame["buoy"].rest).max() > 0.03
    )

    control = session.document.scene.controls[0].id
    driver.window.run("fit")
    driver.settle()
    before = driver.place_of(control)
    at = driver.pixel(before)
    driver.drag(driver.view, at, (at[0] - 60, at[1] + 20))
    assert np.linalg.norm(driver.place_of(control) - before) > 0.05
    assert session.document.undo_label == "Move Control"

    falloff = session.selection.falloff_id
    gone = driver.get("falloffs", falloff, "range", "gone")
    plot = window.ramp.plot
    driver.drag(plot, (plot.end_place("gone"), 90), (plot.end_place("gone") - 30, 90))
    assert driver.get("falloffs", falloff, "range", "gone") < gone

    driver.keys(Qt.Key.Key_K)
    session.playhead.go(48)
    driver.settle()
    here = driver.pixel(driver.place_of(control))
    driver.drag(driver.view, here, (here[0] + 120, here[1] - 40))
    keyed = driver.get("controls", control, "transform", "position", 0)
    assert [key.frame for key in keyed.keys] == [1.0, 48.0]

    session.playhead.go(1)
    driver.keys(Qt.Key.Key_Space)
    driver.qtbot.waitUntil(lambda: session.playhead.frame > 6, timeout=10_000)
    driver.keys(Qt.Key.Key_Space)
    assert not window.time.player.playing

    assert window.files.save_to(tmp_path / "mine.estompe")
    window.files.export_scene(tmp_path / "mine.usdc")
    driver.qtbot.waitUntil(lambda: (tmp_path / "mine.usdc").exists() and not window.work.running, timeout=60_000)
    stage = Usd.Stage.Open(str(tmp_path / "mine.usdc"))
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/buoy"))
    scripted = estompe.evaluate(estompe.open(tmp_path / "mine.estompe"), 48)
    assert np.array_equal(np.asarray(mesh.GetPointsAttr().Get(48)), scripted["buoy"].points)

    while session.document.undo_label:
        driver.keys(Qt.Key.Key_Z, CONTROL)
    assert session.document.scene.shapes == ()


def test_a_broken_mesh_leaves_the_scene_alone_and_says_why(sample, tmp_path):
    (tmp_path / "bad.obj").write_text("v 0 0 nan\nf 1 1 1\n")
    before = sample.session.document.scene
    with sample.qtbot.waitSignal(sample.window.work.failed, timeout=20_000) as failed:
        sample.window.files.open(tmp_path / "bad.obj")
    assert "line 1 has a position that is not a number" in failed.args[0]
    assert sample.session.document.scene is before
    assert "bad.obj" in sample.window.status.message.text()


def test_bringing_in_can_be_cancelled(sample, own_mesh):
    before = sample.session.document.scene
    with sample.qtbot.waitSignal(sample.window.work.cancelled, timeout=20_000):
        sample.window.files.import_mesh(own_mesh)
        assert sample.window.status.cancel.isVisible()
        sample.keys(Qt.Key.Key_Escape)
    assert sample.session.document.scene is before


def test_a_cancelled_export_leaves_no_half_file(sample, tmp_path):
    with sample.qtbot.waitSignal(sample.window.work.cancelled, timeout=20_000):
        sample.window.files.export_scene(tmp_path / "x.usdc")
        sample.click(sample.window.status.cancel)
    assert not [path for path in tmp_path.iterdir() if path.name.endswith("usdc")]


def test_sequences_and_pictures_from_the_window(sample, tmp_path):
    scene = estompe.document.edits.put(sample.session.document.scene, ("last",), 3)
    sample.session.document.commit(scene, "shorter")
    with sample.qtbot.waitSignal(sample.window.work.ended, timeout=30_000):
        sample.window.files.export_sequence(tmp_path / "frames", "ply")
    assert len(list((tmp_path / "frames").iterdir())) == 6
    save_picture_to(sample.window.context, tmp_path / "view.png")
    assert (tmp_path / "view.png").stat().st_size > 5000
    save_picture_to(sample.window.context, tmp_path / "no" / "view.png")
    assert "cannot be written" in sample.window.status.message.text()
