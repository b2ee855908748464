"""Copies and pieces in the window: seen, picked, read, listed, grouped, painted, and made real."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from estompe.app.sheets.table_sheet import TableSheet
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Layer, Range, Route, Scene
from estompe.effects.move import Move
from estompe.effects.separate import Separate
from estompe.falloffs.distance import Distance
from estompe.geometry.copies import Copies
from estompe.setups.adding import add_control, add_falloff, add_painted, add_shape
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.sphere import Sphere


@pytest.fixture
def tiles(driver):
    """A grid of tiles seen from above, moved as near as a control is."""
    scene, control = add_control(
        Scene(camera=Camera("Top", (0.0, 6.0, 0.01), (0.0, 0.0, 0.0))), position=(0.3, 0.5, 0.2)
    )
    scene, falloff = add_falloff(scene, "Near", (Layer("layer", Distance(control)),))
    scene = edits.put(scene, ("falloffs", falloff, "range"), Range(0.3, 2.0))
    scene, box = add_shape(scene, "Tile", Box(0.3, 0.05, 0.3, 1))
    scene = edits.put(scene, ("shapes", box, "visible"), False)
    scene, made = add_shape(scene, "Tiles", CopiesOnGrid(form=box, columns=9, rows=9, size=(3.2, 0.0, 3.2)))
    slot = EffectSlot("lift", Move((0.0, 0.2, 0.0)), (Route(falloff),), acts_on="pieces")
    scene = edits.put(scene, ("shapes", made, "effects"), (slot,))
    scene = edits.put(scene, ("controls", control, "visible"), False)
    driver.session.begin(Project(scene), None, "tiles")
    driver.session.selection.choose_shape(made)
    driver.session.selection.choose_falloff(falloff)
    driver.view.look_through_camera(True)
    driver.settle()
    return driver


def _pixel(driver, copy):
    """Where a copy is in the view."""
    answer = driver.session.evaluator.answer
    position = answer.frame["Tiles"].positions[copy]
    pixels, _ = driver.view.viewpoint.project(position[None], *driver.view.extent)
    return pixels[0]


def test_the_copy_at_the_pointer_is_read_and_followed_over_time(tiles):
    copy = 3 * 9 + 7
    tiles.move(tiles.view, QPointF(*_pixel(tiles, copy)))
    tiles.qtbot.waitUntil(lambda: tiles.view.reading is not None, timeout=10_000)
    shown = tiles.session.evaluator.answer.current
    assert tiles.view.reading.strength == pytest.approx(float(shown.strength[copy]), abs=1e-6)
    shape, element, name = tiles.view.picking.nearest_element()
    assert (shape, element) == (tiles.session.selection.shape_id, copy)
    assert name == f"copy {int(tiles.session.evaluator.answer.frame['Tiles'].ids[copy])}"
    tiles.keys(Qt.Key.Key_P)
    assert tiles.window.time.canvas.pinned == (shape, copy, name)
    assert tiles.window.time.canvas.course()[tiles.session.playhead.frame] == pytest.approx(float(shown.strength[copy]))


def test_a_click_marks_the_copy_that_is_picked(tiles):
    at = _pixel(tiles, 5)
    tiles.drag(tiles.view, at, at, steps=1)
    tiles.qtbot.waitUntil(lambda: tiles.session.selection.marked_edges is not None, timeout=10_000)
    edges = tiles.session.selection.marked_edges
    assert edges.shape == (18, 2, 3) or edges.shape == (12, 2, 3)
    middle = edges.reshape(-1, 3).mean(axis=0)
    assert middle == pytest.approx(tiles.session.evaluator.answer.frame["Tiles"].positions[5], abs=1e-4)


def test_each_piece_has_a_colour_of_its_own(tiles):
    tiles.keys(Qt.Key.Key_4)
    assert tiles.view.mode == "pieces"
    tiles.settle()
    image = tiles.view._image
    colors = {image.pixelColor(*(int(value) for value in _pixel(tiles, copy))).rgb() for copy in range(81)}
    assert len(colors) > 20


def test_the_table_lists_copies_and_groups_them(tiles):
    tiles.keys(Qt.Key.Key_D)
    sheet = tiles.window.findChild(TableSheet)
    sheet.elements.setCurrentText("pieces")
    sheet.pull()
    assert sheet.model.rowCount() == 81
    assert {"id", "strength", "x", "scale x", "rank", "form", "shown"} <= set(sheet.model.columns)
    sheet.condition.setText("strength > 0.5")
    chosen = sheet.model.rowCount()
    assert 0 < chosen < 81
    tiles.click(tiles.button(sheet, "Pick these into a group"))
    tiles.settle()
    shape = tiles.session.selection.shape
    assert shape.effects[-1].acts_on == "pieces"
    copies = tiles.session.evaluator.answer.frame["Tiles"]
    assert isinstance(copies, Copies)
    assert copies.attribute("piece", "group 1").sum() == chosen


def test_a_mask_is_painted_copy_by_copy(tiles):
    scene, layer = add_painted(tiles.session.document.scene, tiles.session.selection.falloff_id)
    tiles.session.document.commit(scene, "Add a mask")
    tiles.settle()
    tiles.session.painting.take(("falloffs", tiles.session.selection.falloff_id, "layers", layer, "source", "mask"))
    copies = tiles.session.evaluator.answer.frame["Tiles"]
    tiles.session.painting.set_brush(radius=0.6, amount=1.0)
    tiles.session.painting.touch(tiles.session.selection.shape_id, copies.positions[40].astype(np.float64))
    source = edits.get(
        tiles.session.document.scene, ("falloffs", tiles.session.selection.falloff_id, "layers", layer, "source")
    )
    mask = tiles.session.document.asset(source.mask)
    assert mask.shape == (81,)
    assert mask[40] == 1.0
    assert (mask > 0).sum() == 9  # itself and its eight neighbours
    tiles.settle()
    assert tiles.session.evaluator.answer.frame.problems == ()


def test_an_effect_on_points_says_how_many_it_makes_real(tiles):
    path = ("shapes", tiles.session.selection.shape_id, "effects", "lift")
    tiles.window.drive.open_card("lift")
    assert (*path, "acts_on") in {field.path for field in tiles.window.drive.fields}
    assert not tiles.window.drive._summary.isVisible()
    tiles.session.document.put((*path, "acts_on"), "points", "Act on points")
    tiles.settle()
    assert "makes 81 copies real: " in tiles.window.drive._summary.text().replace("\u00a0", " ")
    assert tiles.window.drive.cards["lift"].points.text().replace("\u00a0", "").isdigit()
    assert not isinstance(tiles.session.evaluator.answer.frame["Tiles"], Copies)


def test_faces_are_read_and_marked_one_by_one(driver):
    scene, control = add_control(Scene(), position=(0.0, 0.0, 1.0))
    scene, falloff = add_falloff(scene, "Near", (Layer("layer", Distance(control)),))
    scene, ball = add_shape(scene, "Ball", Sphere(0.8, 6))
    slots = (EffectSlot("parted", Separate()), EffectSlot("moved", Move(), (Route(falloff),), acts_on="pieces"))
    scene = edits.put(scene, ("shapes", ball, "effects"), slots)
    scene = edits.put(scene, ("controls", control, "visible"), False)
    driver.session.begin(Project(scene), None, "faces")
    driver.session.selection.choose_shape(ball)
    driver.session.selection.choose_falloff(falloff)
    driver.settle()
    width, height = driver.view.extent
    driver.move(driver.view, QPointF(width * 0.45, height * 0.55))
    driver.qtbot.waitUntil(lambda: driver.view.reading is not None, timeout=10_000)
    assert driver.view.picking.nearest_element()[2].startswith("face ")
    assert "faces" in driver.window.drive.cards["moved"].points.text()


def test_a_ramp_becomes_a_band_with_one_click(tiles):
    tiles.click(tiles.button(tiles.window.ramp, "band"))
    ramp = edits.get(tiles.session.document.scene, ("falloffs", tiles.session.selection.falloff_id, "ramp"))
    assert [(point.position, point.value) for point in ramp] == [(0.0, 0.0), (0.5, 1.0), (1.0, 0.0)]
    tiles.settle()
    tiles.window.run("undo")
    assert len(edits.get(tiles.session.document.scene, ("falloffs", tiles.session.selection.falloff_id, "ramp"))) == 2
