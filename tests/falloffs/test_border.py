"""How far inside a border elements lie, against closed forms."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Layer, Range, Scene, Transform
from estompe.evaluation import evaluate
from estompe.falloffs.border import Border
from estompe.setups.adding import add_falloff, add_shape
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere


def _values(scene, shape):
    scene, falloff = add_falloff(scene, "Border", (Layer("layer", Border()),))
    scene = edits.put(scene, ("falloffs", falloff, "range"), Range(0.0, 1.0))
    frame = evaluate(Project(scene), 1)
    assert [item.text for item in frame.problems] == []
    return frame, frame.shown(shape, falloff).values


def test_on_a_sheet_it_is_the_distance_to_the_nearest_side_in_scene_units():
    scene, sheet = add_shape(Scene(), "Sheet", Grid(2.0, 1.0, 20, 10))
    scene = edits.put(
        scene, ("shapes", sheet, "transform"), Transform((3.0, 0.0, 0.0), (0.0, 40.0, 0.0), (2.0, 1.0, 1.0))
    )
    frame, values = _values(scene, sheet)
    rest = frame[sheet].rest
    expected = np.minimum(2.0 - 2 * np.abs(rest[:, 0]), 0.5 - np.abs(rest[:, 2]))
    assert values == pytest.approx(expected, abs=1e-5)


@pytest.mark.parametrize("size", [(2.0, 0.0, 1.0), (5.0, 0.0, 1.0), (2.0, 3.0, 1.0)])
def test_in_an_array_it_follows_when_the_array_is_resized(size):
    scene, box = add_shape(Scene(), "Box", Box(0.01, 0.01, 0.01, 1))
    layers = 5 if size[1] else 1
    scene, tiles = add_shape(scene, "Tiles", CopiesOnGrid(form=box, columns=9, rows=7, layers=layers, size=size))
    frame, values = _values(scene, tiles)
    half = np.array(size) / 2
    inside = half - np.abs(frame[tiles].positions)
    wide = [k for k in range(3) if size[k] > 0]
    assert values == pytest.approx(inside[:, wide].min(axis=1), abs=1e-5)
    assert (values < 1e-5).sum() == 9 * 7 * layers - 7 * 5 * max(layers - 2, 1)


def test_a_closed_surface_lies_wholly_inside():
    scene, ball = add_shape(Scene(), "Ball", Sphere(0.5, 8))
    _, values = _values(scene, ball)
    assert values.min() == values.max() == pytest.approx(np.sqrt(3.0), abs=1e-5)
