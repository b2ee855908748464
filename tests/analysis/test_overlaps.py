"""Overlaps against closed forms: spheres in spheres and boxes, and shapes that have no inside."""

import numpy as np
import pytest

from estompe.analysis.overlaps import open_shapes, overlaps
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Scene, Shape, Transform
from estompe.effects.move import Move
from estompe.evaluation import evaluate
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere


def _frame(*shapes: Shape):
    return evaluate(Project(Scene(shapes)), 1)


def _at(x: float) -> Transform:
    return Transform((x, 0.0, 0.0))


def test_two_spheres_lie_in_each_other_as_deep_as_they_must():
    frame = _frame(Shape("a", "A", Sphere(0.5, 24)), Shape("b", "B", Sphere(0.5, 24), _at(0.8)))
    found = overlaps(frame)
    assert {(item.inside, item.other) for item in found} == {("a", "b"), ("b", "a")}
    for item in found:
        centre = np.array([0.8, 0, 0]) if item.other == "b" else np.zeros(3)
        depths = 0.5 - np.linalg.norm(item.positions - centre, axis=1)
        assert np.abs(item.depths - depths).max() < 2e-3
        assert item.deepest == pytest.approx(0.2, abs=4e-3)
        mesh = frame[item.inside]
        wanted = np.linalg.norm(mesh.points - centre, axis=1) < 0.5
        assert abs(np.count_nonzero(wanted) - len(item.points)) < 0.05 * np.count_nonzero(wanted)


def test_shapes_that_only_touch_or_stand_apart_do_not_overlap():
    box = Shape("box", "Box", Box(1.0, 1.0, 1.0, 4))
    assert overlaps(_frame(box, Shape("next", "Next", Box(1.0, 1.0, 1.0, 4), _at(1.0)))) == []
    assert overlaps(_frame(box, Shape("far", "Far", Sphere(0.3, 6), _at(3.0)))) == []


def test_what_counts_is_the_shape_after_its_effects_and_only_where_it_is_seen():
    moved = Shape("s", "S", Sphere(0.3, 8), _at(3.0), (EffectSlot("m", Move((-3.0, 0.0, 0.0))),))
    box = Shape("box", "Box", Box(1.0, 1.0, 1.0, 4))
    (found,) = overlaps(_frame(box, moved))
    assert (found.inside, found.other) == ("s", "box")
    assert len(found.points) == len(_frame(moved)["s"].points)
    hidden = Shape("box", "Box", Box(1.0, 1.0, 1.0, 4), visible=False)
    assert overlaps(_frame(hidden, moved)) == []


def test_nothing_lies_in_an_open_shape_and_it_is_named():
    frame = _frame(Shape("g", "Sheet", Grid(2.0, 2.0, 4, 4)), Shape("b", "Box", Box(1.0, 1.0, 1.0, 2)))
    assert {item.other for item in overlaps(frame)} == {"b"}
    assert open_shapes(frame) == ["Sheet"]
