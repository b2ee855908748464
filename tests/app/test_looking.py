"""Looking at the scene: sides, parallel rays, grid, key light, measuring, snapping, and room for the view."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from estompe.app.sheets.table_sheet import TableSheet
from estompe.app.widgets.labels import Head
from estompe.app.widgets.titled_area import TitledArea

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.mark.parametrize(("key", "name", "back"), [
    (Qt.Key.Key_1, "Front", (0, 0, 1)), (Qt.Key.Key_2, "Right", (1, 0, 0)), (Qt.Key.Key_3, "Top", (0, 1, 0)),
])  # fmt: skip
def test_keys_look_from_the_sides_with_parallel_rays(sample, key, name, back):
    sample.keys(key, CTRL)
    assert sample.view.viewpoint.parallel > 0
    assert np.allclose(sample.view.viewpoint.axes()[2], back, atol=1e-9)
    assert sample.view.bar.camera.text() == f"{name} ▾"
    sample.settle()
    sample.keys(Qt.Key.Key_4, CTRL)
    assert sample.view.viewpoint.parallel == 0.0


def test_a_control_is_dragged_as_far_as_the_pointer_goes_in_a_parallel_view(sample):
    sample.keys(Qt.Key.Key_1, CTRL)
    sample.view.navigate(sample.view.viewpoint.zoomed(2.0))
    sample.session.selection.choose_control("lantern")
    before = sample.place_of("lantern")
    begin = sample.pixel(before)
    sample.drag(sample.view, begin, (begin[0] + 40, begin[1] + 30))
    unit = sample.view.viewpoint.parallel / sample.view.height()
    assert np.allclose(sample.place_of("lantern") - before, (40 * unit, -30 * unit, 0.0), atol=unit)


def test_the_grid_and_the_key_light_are_aids_of_the_view_alone(sample):
    sample.view.look_through_camera(False)
    assert sample.view.job().look.grid > 0
    sample.keys(Qt.Key.Key_G, SHIFT)
    assert sample.view.job().look.grid == 0
    sample.keys(Qt.Key.Key_1)
    look = sample.view.job().look
    assert look.shadow
    sample.keys(Qt.Key.Key_H, SHIFT)
    assert sample.view.job().look.light == pytest.approx(look.light - 15.0)
    sample.keys(Qt.Key.Key_H)
    assert sample.view.job().look.light is None


def test_two_clicks_measure_how_far_places_are_apart(sample):
    sample.view.look_through_camera(False)
    sample.view.fit()
    sample.settle()
    sample.keys(Qt.Key.Key_M, SHIFT)
    sample.click(sample.view, sample.pixel(sample.place_of("lantern")))
    assert np.allclose(sample.view.measured[0], sample.place_of("lantern"))
    geometry = sample.session.evaluator.answer.frame["amphora"]
    middle = np.mean(geometry.bounds, axis=0)
    sample.click(sample.view, sample.pixel(middle))
    sample.qtbot.waitUntil(lambda: len(sample.view.measured) == 2, timeout=10_000)
    low, high = geometry.bounds
    assert np.all(sample.view.measured[1] >= low - 1e-3)
    assert np.all(sample.view.measured[1] <= high + 1e-3)
    sample.keys(Qt.Key.Key_M, SHIFT)
    assert sample.view.measured is None


def test_ctrl_snaps_what_is_dragged_to_the_grid_and_to_fifteen_degrees(sample):
    sample.keys(Qt.Key.Key_1, CTRL)
    sample.session.selection.choose_control("lantern")
    begin = sample.pixel(sample.place_of("lantern"))
    _drag_with(sample, begin, (begin[0] + 53, begin[1] - 31), CTRL)
    step = 0.1 * sample.view.grid_spacing
    moved = sample.place_of("lantern")[:2] / step
    assert np.allclose(moved, np.round(moved), atol=1e-3)
    sample.view.set_tool("rotate")
    ring = next(part for part in sample.view.handles().parts if part.axis == 2)
    pixels, _ = sample.view.viewpoint.project(ring.line, *sample.view.extent)
    _drag_with(sample, tuple(pixels[4]), tuple(pixels[17]), CTRL)
    angle = sample.session.numbers.number(("controls", "lantern", "transform", "rotation", 2))
    assert angle != 0.0
    assert angle % 15.0 == pytest.approx(0.0, abs=1e-3)


def test_alt_moves_a_control_onto_the_surface_under_the_pointer(sample):
    sample.view.look_through_camera(False)
    sample.view.fit()
    sample.settle()
    sample.session.selection.choose_control("lantern")
    low, high = sample.session.evaluator.answer.frame["amphora"].bounds
    begin, end = sample.pixel(sample.place_of("lantern")), sample.pixel((low + high) / 2)
    press = QPointF(*begin)
    QTest.mousePress(sample.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, press.toPoint())
    for _ in range(200):
        _move(sample.view, QPointF(*end), ALT)
        QTest.qWait(60)
        if sample.view.dropped_at is not None:
            _move(sample.view, QPointF(*end), ALT)
            break
    QTest.mouseRelease(sample.view, Qt.MouseButton.LeftButton, ALT, QPointF(*end).toPoint())
    place, bulge = sample.place_of("lantern"), 0.1  # the surface swells where the lantern comes near
    assert np.all(place >= low - bulge)
    assert np.all(place <= high + bulge)


def _move(view, at, modifier):
    left = Qt.MouseButton.LeftButton
    QApplication.sendEvent(view, QMouseEvent(QEvent.Type.MouseMove, at, view.mapToGlobal(at), left, left, modifier))


def _drag_with(driver, begin, end, modifier):
    """Press without a key, and hold one while dragging."""
    QTest.mousePress(driver.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPointF(*begin).toPoint())
    for part in np.linspace(0.2, 1.0, 5):
        _move(driver.view, QPointF(*(np.array(begin) * (1 - part) + np.array(end) * part)), modifier)
    QTest.mouseRelease(driver.view, Qt.MouseButton.LeftButton, modifier, QPointF(*end).toPoint())
    QTest.qWait(5)


def test_one_key_gives_the_view_the_whole_window(sample):
    width = sample.view.width()
    sample.keys(Qt.Key.Key_F, SHIFT)
    QTest.qWait(20)
    assert sample.view.width() > 0.95 * sample.window.width() > width
    sample.keys(Qt.Key.Key_F, SHIFT)
    QTest.qWait(20)
    assert sample.view.width() == pytest.approx(width, abs=4)


def test_the_table_stands_beside_the_view_and_each_points_out_what_is_picked_in_the_other(sample):
    sample.view.look_through_camera(False)
    sample.view.fit()
    sample.session.selection.choose_shape("amphora")
    sample.settle()
    sample.keys(Qt.Key.Key_D)
    QTest.qWait(30)
    sheet = sample.window.sheets.currentWidget()
    assert isinstance(sheet, TableSheet)
    assert sample.view.isVisible()
    assert sample.view.height() > 150
    sheet.view.selectRow(7)
    geometry = sample.session.evaluator.answer.frame["amphora"]
    assert np.allclose(sample.session.selection.marked_places, geometry.points[sheet.model.rows[7]][None])
    sample.view.fit()
    sample.settle()
    low, high = geometry.bounds
    sample.click(sample.view, sample.pixel(low + (high - low) * (0.5, 0.8, 0.5)))
    sample.qtbot.waitUntil(lambda: sample.session.selection.element is not None, timeout=10_000)
    shape, number = sample.session.selection.element
    assert shape == "amphora"
    rows = {index.row() for index in sheet.view.selectionModel().selectedRows()}
    assert {int(sheet.model.rows[row]) for row in rows} == {number}
    sample.keys(Qt.Key.Key_D)
    assert sample.session.selection.marked_places is None


def test_the_heading_of_what_is_seen_stays_when_a_card_opens(sample):
    sample.session.selection.choose_shape("amphora")
    areas = sample.window.findChildren(TitledArea)
    area = next(item for item in areas if item.isAncestorOf(sample.window.drive))
    sample.window.drive.open_card("bulge")
    QTest.qWait(30)
    area.verticalScrollBar().setValue(60)
    QTest.qWait(10)
    drive = sample.window.drive.findChildren(Head)[0]
    assert drive.mapTo(area, drive.rect().topLeft()).y() < 0
    assert area.title == "DRIVE"
    area.verticalScrollBar().setValue(0)
    assert area.title == ""


def test_the_picture_of_the_view_is_copied(sample):
    sample.settle()
    sample.window.run("copy_view")
    picture = QGuiApplication.clipboard().image()
    assert picture.width() == sample.view.width()
