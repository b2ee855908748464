"""The output sheet: what can be written, what it says of choices that cannot be, and the files that come of it."""

import pytest
from PyQt6.QtWidgets import QSpinBox

from estompe.app.sheets.output_sheet import OutputSheet
from estompe.importing.footage import close_all
from tests import shots


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


@pytest.fixture
def sheet(sample):
    """The sheet over the small sample, writing frames 40 to 42 small into a folder of its own."""
    sample.window.run("output")
    made = sample.window.sheets.currentWidget()
    assert isinstance(made, OutputSheet)
    for name, value in (("first", 40), ("last", 42), ("width", 64), ("height", 40), ("samples", 1)):
        next(box for box in made.findChildren(QSpinBox) if box.accessibleName() == name).setValue(value)
    return made


def write(sample, sheet, target):
    sheet.target.setText(str(target))
    sample.click(sheet.write)
    sample.qtbot.waitUntil(lambda: not sample.window.work.running, timeout=60_000)
    return sample.window.status.message.text()


def test_pictures_are_written_and_said(sample, sheet, tmp_path):
    sheet.layers["depth"].setChecked(True)
    words = write(sample, sheet, tmp_path / "quay.####.exr")
    assert words == f"3 pictures through {sample.session.document.scene.camera.name} in {tmp_path}"
    assert sorted(path.name for path in tmp_path.glob("*.exr")) == [f"quay.{number:04d}.exr" for number in (40, 41, 42)]
    assert sample.window.sheets.currentWidget() is sample.view


@pytest.mark.parametrize(("kind", "name"), [("movie", "a.mp4"), ("scene", "a.usdc")])
def test_a_movie_and_an_animated_scene_are_written(sample, sheet, tmp_path, kind, name):
    sample.click(sheet.kinds[kind])
    words = write(sample, sheet, tmp_path / name)
    assert words.startswith("frames 40-42 ")
    assert words.endswith(f"in {tmp_path / name}")
    assert (tmp_path / name).stat().st_size > 500


def test_mesh_files_of_the_current_shape_alone(sample, sheet, tmp_path):
    sample.click(sheet.kinds["meshes"])
    sheet.choices.shapes = frozenset({sample.session.selection.shape_id})
    words = write(sample, sheet, tmp_path / "meshes")
    assert words == f"3 files in {tmp_path / 'meshes'}"


def test_a_bake_is_sent_to_other_processes_and_the_artist_goes_on(sample, sheet, tmp_path):
    sample.click(sheet.kinds["scene"])
    sheet.target.setText(str(tmp_path / "a.usdc"))
    sheet.machines.setText("many")
    sample.click(sheet.write)
    assert "use a number of processes" in sheet.trouble.text()
    sheet.machines.setText("1")
    sample.click(sheet.write)
    assert sample.window.work.running
    sample.session.document.put(("shapes", "amphora", "visible"), False, "Hide")
    sample.settle()
    sample.qtbot.waitUntil(lambda: not sample.window.work.running, timeout=90_000)
    assert sample.window.status.message.text() == "3 frames made on 1"
    assert (tmp_path / "a.usdc").stat().st_size > 500


def test_choices_follow_what_is_written_and_names_keep_their_stem(sheet):
    sheet.choose("movie")
    assert sheet.target.text().endswith("small.mp4")
    sheet.choose("over")
    assert sheet.target.text().endswith("small-over.usda")
    sheet.target.setText("/tmp/mine.usda")
    sheet.choose("scene")
    assert sheet.target.text() == "/tmp/mine.usda"
    assert not sheet.layers["depth"].isVisible()


def test_what_cannot_be_is_said_on_the_sheet(sample, sheet, tmp_path):
    sheet.target.setText(str(tmp_path / "quay.png"))
    sample.click(sheet.write)
    assert "write # where the frame's number goes" in sheet.trouble.text()
    assert sample.window.sheets.currentWidget() is sheet
    sheet.target.setText("")
    sample.click(sheet.write)
    assert sheet.trouble.text() == "say where it goes first"
    sheet.choose("over")
    assert "there is no USD stage" in write(sample, sheet, tmp_path / "over.usda")


def test_an_over_is_written_of_a_shot(driver, tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    driver.window.files.open_shot(path, lambda footage: driver.window.files.import_shot(footage, ["/World/Boat/Hull"]))
    driver.qtbot.waitUntil(lambda: bool(driver.session.document.scene.shapes), timeout=20_000)
    driver.window.run("output")
    sheet = driver.window.sheets.currentWidget()
    assert (sheet.choices.first, sheet.choices.last) == (1001, 1010)
    driver.click(sheet.kinds["over"])
    assert write(driver, sheet, tmp_path / "over.usda") == f"frames 1001-1010 over {tmp_path / 'over.usda'}"
