"""A shot in the window: its tree on a sheet, what follows it, other cameras, a missing file, a time of its own."""

from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom, Vt
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from estompe.app.fields.follow import FollowField, FootageField, PrimField
from estompe.app.fields.own_time import OwnTimeField
from estompe.app.sheets.shot_sheet import ShotSheet
from estompe.app.widgets.labels import Elided
from estompe.document.file import load
from estompe.document.paths import files_of
from estompe.document.transforms import matrix_of
from estompe.importing.footage import close_all
from tests import shots


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


@pytest.fixture
def sheet(driver, tmp_path):
    """The sheet over a boat's stage."""
    path = shots.boat_stage(tmp_path / "boat.usda")
    driver.window.files.open_shot(path, driver.window.sheets.show_shot)
    driver.qtbot.waitUntil(lambda: isinstance(driver.window.sheets.currentWidget(), ShotSheet), timeout=20_000)
    return driver.window.sheets.currentWidget()


@pytest.fixture
def boat(driver, sheet):
    """The boat, imported as it is ticked at first, on its third frame."""
    driver.click(sheet.take)
    driver.session.playhead.go(1003)
    driver.settle()
    return driver


def test_the_sheet_shows_the_tree_and_imports_what_is_ticked(driver, sheet):
    assert sheet.items["/World/Boat/Hull"].text(1) == "mesh"
    assert sheet.items["/World/Boat/Hull"].text(3) == "points"
    assert sheet.items["/World/Moon"].text(4) == "a NurbsPatch cannot be used"
    assert sheet.ticked() == ["/World/Boat", "/World/Boat/Hull", "/World/Boat/Camera", "/World/Buoys"]
    sheet.items["/World/Buoys"].setCheckState(0, Qt.CheckState.Unchecked)
    sheet.items["/World/Lamp"].setCheckState(0, Qt.CheckState.Checked)
    driver.click(sheet.take)
    scene = driver.session.document.scene
    assert [shape.name for shape in scene.shapes] == ["Hull"]
    assert [control.name for control in scene.controls] == ["Boat", "Lamp"]
    assert (scene.first, scene.last, scene.camera.name) == (1001, 1010, "Camera")
    assert driver.window.sheets.currentWidget() is driver.view
    driver.session.document.undo()
    assert not driver.session.document.scene.shapes


def test_finding_by_name_hides_the_rest_and_nothing_ticked_imports_nothing(driver, sheet):
    sheet.search.setText("hull")
    assert not sheet.items["/World/Boat/Hull"].isHidden()
    assert not sheet.items["/World/Boat"].isHidden()
    assert sheet.items["/World/Lamp"].isHidden()
    driver.click(driver.button(sheet, "nothing"))
    assert sheet.ticked() == []
    assert not sheet.take.isEnabled()
    driver.click(driver.button(sheet, "meshes only"))
    assert sheet.ticked() == ["/World/Boat/Hull", "/World/Buoys"]


def test_controls_and_the_camera_go_along_with_the_file(boat):
    here = boat.session.numbers.placed
    control = here.controls[0]
    assert np.allclose(matrix_of(control.transform)[:, 3], [2.0, 0.5, 0.0], atol=1e-5)
    boat.view.look_through_camera(True)
    assert boat.view.viewpoint.aspect == pytest.approx(36 / 20.25)
    boat.session.playhead.go(1010)
    boat.settle()
    control = boat.session.numbers.placed.controls[0]
    assert np.allclose(matrix_of(control.transform)[:, 3], [9.0, 0.5, 0.0], atol=1e-5)


def test_what_follows_is_dragged_within_what_it_follows(boat):
    control = boat.session.document.scene.controls[0]
    boat.session.selection.choose_control(control.id)
    boat.view.fit()
    boat.settle()
    handles = boat.view.handles()
    part = next(item for item in handles.parts if item.part == "axis" and item.axis == 1)
    pixels, _ = boat.view.viewpoint.project(part.line[-1:], *boat.view.extent)
    begin = tuple(pixels[0])
    boat.drag(boat.view, begin, (begin[0], begin[1] - 40))
    x, y, z = boat.get("controls", control.id, "transform", "position")
    # The boat has turned about the vertical, so moving it up moves it up within.
    assert y > 0.05
    assert abs(x) < 1e-3
    assert abs(z) < 1e-3


def test_another_camera_is_looked_through_and_the_first_stays(boat, tmp_path):
    stage = tmp_path / "more.usda"
    shots.boat_stage(stage)
    boat.window.files.open_shot(stage, boat.window.sheets.show_shot)
    boat.qtbot.waitUntil(lambda: isinstance(boat.window.sheets.currentWidget(), ShotSheet), timeout=20_000)
    sheet = boat.window.sheets.currentWidget()
    boat.click(boat.button(sheet, "nothing"))
    sheet.items["/World/Boat/Camera"].setCheckState(0, Qt.CheckState.Checked)
    boat.click(sheet.take)
    assert [camera.name for camera in boat.session.document.scene.other_cameras] == ["Camera 2"]
    menu = boat.view.bar.camera.menu()
    menu.aboutToShow.emit()
    next(action for action in menu.actions() if action.text() == "Through Camera 2").trigger()
    scene = boat.session.document.scene
    assert (scene.camera.name, scene.other_cameras[0].name) == ("Camera 2", "Camera")
    assert boat.view.bar.camera.text().startswith("Camera 2")


def test_a_missing_file_says_so_and_another_can_be_pointed_at(boat, tmp_path):
    file = Path(boat.session.document.scene.shapes[0].source.file)
    file.rename(tmp_path / "moved.usda")
    close_all()
    boat.session.document.put(("shapes", boat.session.document.scene.shapes[0].id, "visible"), False, "Hide")
    boat.settle()
    problems = [problem.text for problem in boat.session.evaluator.answer.frame.problems]
    assert any("there is no such file" in text and "boat.usda" in text for text in problems)
    boat.session.selection.choose_shape(boat.session.document.scene.shapes[0].id)
    field = boat.window.drive.findChild(FootageField) or boat.window.findChild(FootageField)
    field.pull()
    assert field.name.text() == "boat.usda is missing"
    field.point_at(str(tmp_path / "moved.usda"))
    boat.settle()
    assert boat.session.evaluator.answer.frame.problems == ()
    scene = boat.session.document.scene
    assert {scene.camera.follows.file, scene.controls[0].transform.follows.file} == {str(tmp_path / "moved.usda")}


def test_a_file_that_is_written_anew_is_followed(boat):
    file = Path(boat.session.document.scene.shapes[0].source.file)
    before = boat.session.evaluator.answer
    stage = Usd.Stage.Open(str(file))
    hull = UsdGeom.Mesh.Get(stage, "/World/Boat/Hull")
    for frame in (1001, 1010):
        hull.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE + 50), frame)
    stage.Save()
    boat.qtbot.waitUntil(lambda: boat.session.evaluator.answer is not before, timeout=20_000)
    boat.settle()
    matrix = matrix_of(boat.session.numbers.placed.shapes[0].transform)
    moved = boat.session.evaluator.answer.frame["Hull"].points[0]
    assert np.allclose(moved, matrix[:, :3] @ (0.5, 0.5, -0.5) + matrix[:, 3], atol=1e-4)


def test_a_prim_can_be_chosen_and_what_is_followed_let_go(boat):
    control = boat.session.document.scene.controls[0]
    boat.session.selection.choose_shape(boat.session.document.scene.shapes[0].id)
    prims = boat.window.findChildren(PrimField)
    names = [prims[0].box.itemText(index) for index in range(prims[0].box.count())]
    assert "/World/Buoys" in names
    boat.session.selection.choose_control(control.id)
    follow = next(field for field in boat.window.findChildren(FollowField) if field.isVisible())
    boat.click(follow.leave)
    assert boat.get("controls", control.id, "transform", "follows") is None


def test_a_time_of_its_own_is_given_and_taken_away(boat):
    control = boat.session.document.scene.controls[0].id
    boat.session.selection.choose_control(control)
    field = next(item for item in boat.window.findChildren(OwnTimeField) if item.isVisible())
    boat.click(boat.button(field, "a time of its own"))
    path = ("controls", control, "at_frame")
    boat.session.numbers.set_number(path, 1010.0, "Set")
    boat.settle()
    placed = boat.session.numbers.placed.controls[0]
    assert np.allclose(matrix_of(placed.transform)[:, 3], [9.0, 0.5, 0.0], atol=1e-5)
    boat.click(boat.button(field, "Go with the shot's time again"))
    assert boat.get(*path) is None


def test_what_is_dropped_comes_in_as_a_shot_or_as_a_mesh(driver, tmp_path):
    window, view = driver.window, driver.view
    still = shots.new_stage(tmp_path / "still.usda")
    shots.define_mesh(still, "/World/Slab")
    still.Save()
    view.file_dropped.emit(str(tmp_path / "still.usda"))
    driver.qtbot.waitUntil(lambda: len(driver.session.document.scene.shapes) == 1, timeout=20_000)
    driver.settle()
    assert not window.findChildren(ShotSheet)
    view.file_dropped.emit(str(shots.boat_stage(tmp_path / "boat.usda")))
    driver.qtbot.waitUntil(lambda: bool(window.findChildren(ShotSheet)), timeout=20_000)
    assert len(driver.session.document.scene.shapes) == 1
    (sheet,) = window.findChildren(ShotSheet)
    assert "boat.usda" in sheet._described()


def test_copies_are_taken_into_the_scene(boat):
    session = boat.session
    buoys = next(shape.id for shape in session.document.scene.shapes if shape.name == "Buoys")
    session.selection.choose_shape(buoys)
    before = session.evaluator.answer.frame
    boat.window.run("embed")
    boat.qtbot.waitUntil(lambda: type(boat.get("shapes", buoys).source).__name__ == "EmbeddedCopies", timeout=20_000)
    boat.settle()
    after = session.evaluator.answer.frame
    assert np.allclose(after["Buoys"].positions, before["Buoys"].positions, atol=1e-5)


def test_the_scene_and_its_files_are_collected_into_a_folder(boat, tmp_path, monkeypatch):
    folder, said = tmp_path / "handed on", []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(folder), ""))
    boat.session.messages.said.connect(lambda text, _: said.append(text))
    boat.window.run("collect")
    boat.qtbot.waitUntil(lambda: bool(said) and folder.is_dir(), timeout=20_000)
    assert [text for text in said if text.startswith("the scene and 1 of its files are in")]
    collected = load(next(folder.glob("*.estompe")))
    assert Path(files_of(collected.scene)[0]).is_relative_to(folder)


def test_the_files_of_a_scene_are_listed_and_another_takes_the_place_of_one(boat, tmp_path, monkeypatch):
    boat.window.run("files_used")
    sheet = boat.window.sheets.currentWidget()
    assert list(sheet.links) == [str(tmp_path / "boat.usda")]
    (tmp_path / "boat.usda").rename(tmp_path / "yawl.usda")
    sheet.refresh()
    assert any(words.text() == "is not there" for words in sheet.findChildren(Elided))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "yawl.usda"), ""))
    boat.click(sheet.links[str(tmp_path / "boat.usda")])
    boat.settle()
    assert files_of(boat.session.document.scene) == (str(tmp_path / "yawl.usda"),)
    assert list(sheet.links) == [str(tmp_path / "yawl.usda")]
    assert boat.session.document.undo_label == "Read yawl.usda in the place of boat.usda"
    assert boat.session.evaluator.answer.frame.problems == ()
    wanted = []
    sheet.collect_wanted.connect(lambda: wanted.append(True))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: ("", ""))
    boat.click(sheet.collect)
    assert wanted
