"""Pulling the lines of full, half and gone over the surface itself."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtTest import QTest

from estompe.app.view.contours import values_of
from estompe.document.project import Project
from estompe.document.scene import (
    EASED,
    Camera,
    Control,
    EffectSlot,
    Falloff,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.color import Color
from estompe.falloffs.distance import Distance
from estompe.shapes.grid import Grid

RANGE = ("falloffs", "near", "range")


@pytest.fixture
def seen(driver):
    """A wall before the camera, with the distance to a lamp in its middle."""
    wall = Shape("wall", "Wall", Grid(6.0, 6.0, 90, 90), Transform(rotation=(90.0, 0.0, 0.0)),
                 (EffectSlot("dye", Color(), (Route("near"),)),))  # fmt: skip
    near = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.6, 1.8))
    camera = Camera("Shot", (0.0, 0.0, 8.0), (0.0, 0.0, 0.0), 40.0)
    scene = Scene((wall,), (Control("lamp", "Lamp", visible=False),), (near,), camera, last=10)
    driver.session.begin(Project(scene), None, "wall")
    driver.session.selection.choose_shape("wall")
    driver.session.selection.choose_falloff("near", "reach")
    driver.view.set_mode("strength")
    # Nothing but the lines themselves is to be taken hold of here.
    driver.view.shells = list
    driver.view.handles = lambda: None
    driver.settle()
    return driver


def pixel(seen, distance, degrees=20.0):
    """Where the wall is so far from the lamp."""
    angle = np.radians(degrees)
    place = np.array([[distance * np.cos(angle), distance * np.sin(angle), 0.0]])
    (at,), _ = seen.view.viewpoint.project(place, *seen.view.extent)
    return float(at[0]), float(at[1])


def hover(seen, at):
    """Move there and wait for what lies there."""
    seen.view.set_reading(None)
    seen.move(seen.view, QPointF(*at))
    seen.qtbot.waitUntil(lambda: seen.view.reading is not None, timeout=5000)
    return seen.view.pointer.hot_contour


def pulled(seen, begin, target):
    """Take hold at one distance and let go at another; returns the range after that."""
    hover(seen, pixel(seen, begin))
    seen.qtbot.waitUntil(lambda: seen.view.pointer.hot_contour is not None, timeout=5000)
    before = seen.session.document.scene
    seen.drag(seen.view, pixel(seen, begin), pixel(seen, target), steps=8)
    # What lies at each place is told later.
    seen.qtbot.waitUntil(
        lambda: seen.session.document.scene is not before and not seen.session.document.in_gesture, timeout=5000
    )
    seen.settle()
    return [seen.get(*RANGE, name) for name in ("full", "gone")]


@pytest.mark.parametrize(
    ("begin", "target", "wanted"), [(0.6, 1.0, [1.0, 1.8]), (1.8, 2.3, [0.6, 2.3]), (1.2, 1.5, [0.9, 2.1])]
)
def test_a_line_is_pulled_and_the_range_follows(seen, begin, target, wanted):
    assert pulled(seen, begin, target) == pytest.approx(wanted, abs=0.02)
    assert seen.session.document.undo_label.startswith("Set Near")
    seen.session.document.undo()
    assert [seen.get(*RANGE, name) for name in ("full", "gone")] == [0.6, 1.8], "one pull is one step"


def test_the_line_that_is_meant_is_named_and_can_be_taken_hold_of(seen):
    found = [hover(seen, pixel(seen, distance)).end for distance in (0.6, 1.2, 1.8)]
    assert found == ["full", "half", "gone"]
    QTest.qWait(20)
    assert seen.view.pointer.can_take_hold


def test_a_keyed_end_gets_a_key_on_this_frame(seen):
    seen.session.numbers.toggle_key((*RANGE, "gone"))
    seen.session.playhead.go(6)
    seen.settle()
    pulled(seen, 1.8, 2.2)
    gone = seen.get(*RANGE, "gone")
    assert [key.frame for key in gone.keys] == [1.0, 6.0]
    assert gone.keys[1].value == pytest.approx(2.2, abs=0.02)


def test_there_is_nothing_to_pull_away_from_the_lines_or_in_shaded_mode(seen):
    assert hover(seen, pixel(seen, 2.3)) is None
    assert hover(seen, pixel(seen, 0.9)) is None
    seen.view.set_mode("shaded")
    seen.settle()
    assert hover(seen, pixel(seen, 0.6)) is None


def test_where_half_lies_follows_the_ramp():
    found = values_of(Range(1.0, 3.0), EASED, False)
    assert found["half"] == pytest.approx(2.0, abs=1e-2)
    late = (RampPoint(0.0, 1.0, "linear"), RampPoint(0.8, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))
    assert values_of(Range(0.0, 10.0), late, False)["half"] == pytest.approx(9.0, abs=0.03)
    assert "half" not in values_of(Range(0.0, 1.0), (RampPoint(0.0, 0.2),), False)
