"""Volumes in the window: what cards say, coarser while dragging, a slice, what takes long, and recipes from nothing."""

import threading

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from estompe.app.view.overlay import slice_grip
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Shape
from estompe.effects import round as round_module
from estompe.effects.grow import Grow
from estompe.effects.round import Round
from estompe.effects.weather import Weather
from estompe.falloffs.noise import Noise
from estompe.geometry.volumes.solid import voxels_told
from estompe.setups.catalog import entry
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere


def _begin(driver, *effects):
    shape = Shape("body", "Body", Sphere(0.5, 12), effects=effects)
    driver.session.begin(Project(Scene((shape,))), None, "volumes")
    driver.session.selection.choose_shape("body")
    driver.settle()


def _voxel(driver):
    return voxels_told(driver.session.evaluator.answer.frame["body"])[0]


def test_a_card_says_voxels_memory_and_what_they_show(driver):
    _begin(driver, EffectSlot("one", Round(0.05, voxel=0.02)))
    driver.window.drive.open_card("one")
    driver.settle()
    words = driver.window.drive._summary.text()
    assert "voxels of 0.02 m" in words
    assert "MB" in words
    assert "shows detail from 0.05 m" in words
    assert "s anew" in words


def test_what_is_open_can_be_closed_at_the_card(driver):
    cup = Lathe(((0.0, 0.0), (0.4, 0.0), (0.4, 0.6)), 32, 24)
    shape = Shape("body", "Cup", cup, effects=(EffectSlot("one", Round(0.02, voxel=0.03)),))
    driver.session.begin(Project(Scene((shape,))), None, "cup")
    driver.session.selection.choose_shape("body")
    driver.settle()
    assert driver.session.evaluator.answer.frame.problems
    driver.click(driver.button(driver.window.drive, "Close its flat holes"))
    driver.settle()
    assert not driver.session.evaluator.answer.frame.problems
    assert driver.session.evaluator.answer.frame["body"].topology.closed


def test_a_card_names_detail_that_its_voxels_do_not_show(driver):
    grain = Falloff("grain", "Grain", (Layer("noise", Noise(1.0, 0.02, 1)),), Range(0.5, -0.5))
    slot = EffectSlot("one", Weather(0.03, 1, voxel=0.03), (Route("grain"),))
    driver.session.begin(
        Project(Scene((Shape("body", "Body", Sphere(0.5, 12), effects=(slot,)),), (), (grain,))), None, "g"
    )
    driver.session.selection.choose_shape("body")
    driver.window.drive.open_card("one")
    driver.settle()
    assert "detail of 0.02 m, which voxels of 0.007 m would show" in driver.window.drive._summary.text()


def test_voxels_are_larger_while_a_number_is_dragged_and_fine_once_it_rests(driver):
    _begin(driver, EffectSlot("one", Grow(0.2, grown=0.5, voxel=0.03)))
    assert _voxel(driver) == pytest.approx(0.03)
    seen = []
    driver.session.evaluator.answered.connect(lambda answer: seen.append((answer.request.rough, answer)))
    for step in range(4):
        driver.session.numbers.set_number(
            ("shapes", "body", "effects", "one", "effect", "grown"), 0.5 + 0.1 * step, "Grown", ("field", "grown")
        )
        QTest.qWait(60)
    driver.qtbot.waitUntil(lambda: any(rough == 2.0 for rough, _ in seen), timeout=20_000)
    assert next(voxels_told(a.frame["body"])[0] for rough, a in seen if rough == 2.0) == pytest.approx(0.06)
    driver.qtbot.waitUntil(lambda: seen[-1][0] == 1.0, timeout=20_000)
    driver.settle()
    assert _voxel(driver) == pytest.approx(0.03)
    # A number that is typed is no drag.
    seen.clear()
    driver.session.numbers.set_number(("shapes", "body", "effects", "one", "effect", "grown"), 0.2, "Grown")
    driver.settle()
    assert {rough for rough, _ in seen} == {1.0}


def test_a_slice_is_turned_dragged_and_shows_lines_around_the_surface(driver):
    _begin(driver, EffectSlot("one", Round(0.02, voxel=0.03)))
    slices = driver.session.slices
    driver.window.run("slice")
    driver.qtbot.waitUntil(lambda: slices.found is not None, timeout=20_000)
    assert slices.axis == 2
    before = slices.found
    surface = next(item.segments for item in before.contours if item.distance == 0.0)
    assert np.abs(np.linalg.norm(surface.reshape(-1, 3), axis=1) - 0.5).max() < 0.03
    view = driver.window.view
    grip = slice_grip(view.viewpoint, view.extent, before)
    way = np.array(view.viewpoint.project(np.stack([[0.0, 0, 0], before.way]), *view.extent)[0])
    step = way[1] - way[0]
    to = grip + QPointF(*(0.25 * step).tolist())
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=grip.toPoint())
    QTest.mouseMove(view, to.toPoint())
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=to.toPoint())
    driver.qtbot.waitUntil(lambda: slices.found is not None and abs(slices.found.share - 0.75) < 0.05, timeout=20_000)
    for axis in (0, 1, None):
        driver.window.run("slice")
        assert slices.axis == axis
    assert slices.found is None


def test_a_slice_through_what_has_no_volume_says_so(driver):
    _begin(driver)
    driver.window.run("slice")
    assert "no volume" in driver.window.status.message.text()


def test_what_takes_long_is_said_and_escape_stops_it(driver, monkeypatch):
    _begin(driver, EffectSlot("one", Round(0.02, voxel=0.03)))
    gate = threading.Event()
    plain = round_module.rounded_by

    def slowly(bricks, voxels, go_on):
        while not gate.wait(0.02):
            go_on()
        return plain(bricks, voxels, go_on)

    monkeypatch.setattr(round_module, "rounded_by", slowly)
    driver.session.numbers.set_number(("shapes", "body", "effects", "one", "effect", "smooth"), 0.04, "Smooth")
    driver.qtbot.waitUntil(lambda: "computing frame" in driver.session.past.words, timeout=10_000)
    assert "Esc stops" in driver.session.past.words
    shown = driver.session.evaluator.answer
    driver.keys(Qt.Key.Key_Escape)
    driver.qtbot.waitUntil(lambda: "stopped" in driver.session.past.words, timeout=10_000)
    assert driver.session.evaluator.answer is shown
    gate.set()
    driver.session.numbers.set_number(("shapes", "body", "effects", "one", "effect", "smooth"), 0.05, "Smooth")
    driver.settle()
    assert driver.session.past.words == ""


@pytest.mark.parametrize("tag", ["weather-tops", "coat-near", "grow-crust", "grow-from-here"])
def test_recipes_work_from_nothing(driver, tag):
    driver.session.begin(Project(Scene()), None, "untitled")
    driver.window.add_entry(entry("shape:sphere"))
    driver.settle()
    driver.window.add_entry(entry(f"recipe:{tag}"))
    driver.settle()
    answer = driver.session.evaluator.answer
    assert not answer.frame.problems
    (shape,) = [item for item in driver.session.document.scene.shapes if item.effects]
    assert shape.effects[0].effect.asks_places


def test_merging_what_is_seen_hides_the_others(driver):
    driver.session.begin(Project(Scene()), None, "untitled")
    for name in ("shape:sphere", "shape:box"):
        driver.window.add_entry(entry(name))
        driver.settle()
    first, second = driver.session.document.scene.shapes
    scene = edits.put(driver.session.document.scene, ("shapes", second.id, "transform", "position"), (0.4, 0.2, 0.0))
    driver.session.document.commit(scene, "Move")
    driver.session.selection.choose_shape(first.id)
    driver.window.add_entry(entry("recipe:merge-these"))
    driver.settle()
    scene = driver.session.document.scene
    assert [shape.visible for shape in scene.shapes] == [True, False]
    assert not driver.session.evaluator.answer.frame.problems
    assert driver.session.evaluator.answer.frame[first.id].topology.closed
    driver.window.run("undo")
    assert all(shape.visible for shape in driver.session.document.scene.shapes)
