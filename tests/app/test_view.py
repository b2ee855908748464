"""The view: navigation, picking, handles, shells, the probe, and what it shows."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from estompe.app.view.handles import Handles
from estompe.app.view.probe import barycentric_weights
from estompe.app.view.shells import shells_of
from estompe.document import edits
from estompe.document.scene import Transform
from estompe.geometry.transforms import rotation_matrix
from estompe.kinds.numbers import resolve
from estompe.render import Viewpoint
from tests.app.driving import MIDDLE

VIEW = Viewpoint((1.0, 2.0, 5.0), (0.0, 0.0, 0.0), 40.0)
SIZE = (800.0, 600.0)


def test_it_looks_through_the_camera_until_it_is_turned(sample):
    view = sample.view
    assert view.through_camera
    before = view.viewpoint
    sample.drag(view, (30, 400), (90, 380))
    assert not view.through_camera
    assert view.viewpoint.distance == pytest.approx(before.distance)
    assert view.viewpoint.eye != before.eye
    assert sample.session.document.undo_label is None  # looking around is not an edit


@pytest.mark.parametrize("button", [MIDDLE, Qt.MouseButton.LeftButton])
def test_pan_moves_the_target_with_the_pointer(sample, button):
    view = sample.view
    target = np.array(view.viewpoint.target)
    begin = sample.pixel(target)
    sample.drag(view, begin, (begin[0] + 80, begin[1] + 30), button, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert np.allclose(sample.pixel(target), (begin[0] + 80, begin[1] + 30), atol=2)


def test_the_wheel_zooms_and_f_fits(sample):
    view = sample.view
    distance = view.viewpoint.distance
    at = QPointF(100, 100)
    wheel = QWheelEvent(
        at,
        at,
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(view, wheel)
    assert view.viewpoint.distance == pytest.approx(distance * 0.81)
    sample.session.selection.choose_shape("amphora")
    sample.keys(Qt.Key.Key_F)
    low, high = sample.session.evaluator.answer.frame["Amphora"].bounds
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    pixels, _ = view.viewpoint.project(corners, *view.extent)
    assert (pixels > 0).all()
    assert (pixels < view.extent).all()


@pytest.mark.parametrize(
    ("key", "mode"), [(Qt.Key.Key_1, "shaded"), (Qt.Key.Key_2, "strength"), (Qt.Key.Key_3, "wire")]
)
def test_display_keys_change_the_picture(sample, key, mode):
    sample.keys(key)
    sample.settle()
    assert sample.view.mode == mode
    assert sample.button(sample.view, mode.capitalize()).isChecked()


def test_clicking_a_shape_or_a_control_makes_it_current(sample):
    sample.session.playhead.go(1)
    sample.settle()
    QTest.qWait(50)
    sample.click(sample.view, sample.pixel((0.9, 0.0, 1.0)))
    sample.qtbot.waitUntil(lambda: sample.session.selection.shape_id == "quay", timeout=5000)
    sample.click(sample.view, sample.pixel(sample.place_of("swell-line")))
    assert sample.session.selection.picked == ("controls", "swell-line")


def test_dragging_a_handle_moves_along_its_axis_only(sample):
    sample.session.selection.choose_control("lantern")
    sample.session.playhead.go(60)
    sample.settle()
    before = sample.place_of("lantern")
    handles = sample.view.handles()
    middle = handles.parts[0].line.mean(axis=0)
    begin = sample.pixel(middle)
    tip = sample.pixel(handles.parts[0].line[1])
    step = np.array(tip) - begin
    sample.drag(sample.view, begin, tuple(np.array(begin) + step * 0.8))
    moved = sample.place_of("lantern") - before
    assert moved[0] > 0.05
    assert np.abs(moved[1:]).max() < 1e-3
    assert sample.session.document.undo_label == "Move Lantern"
    sample.keys(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert np.allclose(sample.place_of("lantern"), before)


def test_turning_and_sizing_a_shape_with_its_handles(sample):
    sample.session.selection.choose_shape("amphora")
    sample.keys(Qt.Key.Key_T)
    ring = sample.view.handles().parts[1]
    sample.drag(sample.view, sample.pixel(ring.line[5]), sample.pixel(ring.line[12]))
    turn = sample.get("shapes", "amphora", "transform", "rotation")
    assert abs(turn[1]) > 5
    assert turn[0] == turn[2] == 0
    sample.keys(Qt.Key.Key_S)
    axis = sample.view.handles().parts[1]
    begin, end = sample.pixel(axis.line[1]), sample.pixel(axis.line[1] * 1.3 - axis.line[0] * 0.3)
    sample.drag(sample.view, begin, end)
    size = sample.get("shapes", "amphora", "transform", "scale")
    assert size[1] > 1.1
    assert size[0] == size[2] == 1
    assert sample.session.document.undo_label == "Scale Amphora"


def test_dragging_a_shell_changes_the_range_live_and_as_one_step(sample):
    sample.session.playhead.go(60)
    sample.settle()
    shell = next(item for item in sample.view.shells() if item.end == "gone")
    on_line = None
    for point in shell.lines[0]:
        place = sample.pixel(point)
        under = sample.view.pointer._shell_under(QPointF(*place))
        if under is not None and under.end == "gone" and sample.view.handles().under(*place) is None:
            on_line = place
            break
    centre = np.array(sample.pixel(shell.matrix[:, 3]))
    sample.drag(sample.view, on_line, tuple(centre + (np.array(on_line) - centre) * 0.7))
    gone = sample.get("falloffs", "lantern-glow", "range", "gone")
    assert gone == pytest.approx(0.85 * 0.7, rel=0.03)
    assert sample.session.document.undo_label == "Set Lantern glow gone beyond"
    sample.session.document.undo()
    assert sample.get("falloffs", "lantern-glow", "range", "gone") == 0.85


def test_the_value_under_the_pointer_and_how_it_came_about(sample):
    sample.session.playhead.go(60)
    sample.settle()
    answer = sample.session.evaluator.answer
    shown = answer.shown["amphora"]
    best = int(np.argmax(shown.strength))
    place = sample.pixel(answer.frame["Amphora"].points[best])
    QTest.mouseMove(sample.view, QPoint(round(place[0]), round(place[1])))
    sample.move(sample.view, QPointF(*place))
    sample.qtbot.waitUntil(lambda: sample.view.reading is not None, timeout=5000)
    reading = sample.view.reading
    assert reading.strength > 0.8
    assert "distance" in reading.words
    assert "+ noise" in reading.words
    numbers = [
        float(word.replace("−", "-"))
        for word in reading.words.split()
        if word.replace("−", "-").replace(".", "").lstrip("-").isdigit()
    ]
    assert sum(numbers) == pytest.approx(reading.value, abs=0.002)
    assert sample.window.ramp.plot._marker == pytest.approx(reading.value)


def test_a_still_picture_follows_a_quick_one(sample):
    seen = []
    sample.view.drawer.drawn.connect(lambda _, job, __: seen.append(job.look.still))
    sample.drag(sample.view, (30, 400), (120, 380), steps=12)
    sample.settle()
    assert seen[0] is False
    assert seen[-1] is True
    assert seen.count(True) <= 2


def test_the_camera_can_be_put_where_one_looks(sample):
    sample.drag(sample.view, (30, 400), (120, 380))
    sample.view.place_camera()
    assert np.allclose(sample.get("camera", "position"), sample.view.free.eye, atol=1e-4)
    assert sample.session.document.undo_label == "Place Shot 3"


def test_shells_are_where_the_strength_begins_and_ends(sample):
    scene = edits.put(sample.session.document.scene, ("controls", "lantern", "transform", "scale"), (2.0, 2.0, 2.0))
    shells = shells_of(resolve(scene, 60), "lantern-glow")
    assert [shell.end for shell in shells] == ["full", "gone"]
    for shell, value in zip(shells, (0.20, 0.85), strict=True):
        assert shell.distance == pytest.approx(2 * value)
        for line in shell.lines:
            assert np.allclose(np.linalg.norm(line - shell.matrix[:, 3], axis=1), 2 * value)


@pytest.mark.parametrize("part", ["axis", "plane", "centre"])
def test_move_handles_follow_the_pointer_exactly(part):
    handles = Handles("move", Transform((0.3, 0.1, -0.2), (20.0, 30.0, 5.0)), VIEW, SIZE)
    handle = next(item for item in handles.parts if item.part == part)
    begin = VIEW.project(handle.line[:1], *SIZE)[0][0]
    moved = np.array(handles.dragged(handle, tuple(begin), (begin[0] + 25, begin[1] - 10))["position"]) - handles.centre
    if part == "axis":
        assert np.allclose(np.cross(moved, rotation_matrix((20, 30, 5))[:, 0]), 0, atol=1e-3)
    elif part == "plane":
        assert abs(moved @ rotation_matrix((20, 30, 5))[:, 0]) < 1e-3
    else:
        assert np.allclose(VIEW.project((handles.centre + moved)[None], *SIZE)[0][0], begin + [25, -10], atol=0.5)


def test_fractions_of_a_triangle():
    triangle = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    place = triangle.T @ [0.2, 0.3, 0.5]
    assert np.allclose(barycentric_weights(triangle, place + [0, 0, 2], np.array([0, 0, -1.0])), [0.2, 0.3, 0.5])
    assert barycentric_weights(triangle * 0, place, np.array([0, 0, -1.0])).sum() == pytest.approx(1)


def test_fit_leaves_the_camera_and_sees_everything(sample):
    sample.view.look_through_camera(True)
    sample.session.document.put(("camera", "target"), (50.0, 0.0, 0.0), "Look away")
    sample.settle()
    sample.session.selection.choose_camera()
    sample.keys(Qt.Key.Key_F)
    assert not sample.view.through_camera
    for name in ("Amphora", "Quay"):
        for corner in sample.session.evaluator.answer.frame[name].bounds:
            x, y = sample.pixel(corner)
            assert 0 <= x <= sample.view.width()
            assert 0 <= y <= sample.view.height()
