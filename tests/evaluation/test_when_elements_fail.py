"""What is wrong with copies, pieces and strands: said where it is, with what to do; the rest of the frame goes on."""

import numpy as np
import pytest
from msgspec import structs

from estompe.document import edits
from estompe.document.check import SceneError, check
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.fracture import Fracture
from estompe.effects.hide import Hide
from estompe.effects.push import Push
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.geometry.copies import Copies
from estompe.kinds.numbers import Formula
from estompe.setups.adding import add_control, add_falloff, add_shape
from estompe.shapes.box import Box
from estompe.shapes.copies_elements import CopiesOnElements
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.copies_path import CopiesAlongPath
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_between import StrandsBetween


def _scene():
    scene, box = add_shape(Scene(), "Box", Box(0.1, 0.1, 0.1, 1))
    scene, ball = add_shape(scene, "Ball", Sphere(0.5, 6))
    return scene, box, ball


def _told(scene, shape, *words):
    """The one problem, at the shape; the others are there as ever."""
    frame = evaluate(Project(scene), 1)
    mine = [item for item in frame.problems if item.path[:2] == ("shapes", shape)]
    assert len(mine) == len(frame.problems) == 1
    for word in words:
        assert word in mine[0].text
    assert all(len(frame[other.id].points) for other in scene.shapes if other.id != shape)
    return frame, mine[0]


def _empty(scene, shape):
    """The scene with a shape that has lost all its faces."""
    scene, falloff = add_falloff(scene, "All")
    scene = edits.put(scene, ("falloffs", falloff), Falloff(falloff, "All", (), Range(0.0, 1.0)))
    return edits.put(scene, ("shapes", shape, "effects"), (EffectSlot("gone", Hide(0.5)),))


def test_a_copy_of_itself_and_a_circle_of_copies():
    scene, box, _ = _scene()
    scene, first = add_shape(scene, "First", CopiesOnGrid(form=box))
    itself = edits.put(scene, ("shapes", first, "source", "form"), first)
    _told(itself, first, "depends on it", "choose another")
    scene, second = add_shape(scene, "Second", CopiesOnGrid(form=first))
    circle = edits.put(scene, ("shapes", first, "source", "form"), second)
    problems = evaluate(Project(circle), 1).problems
    assert {item.path[:2] for item in problems} == {("shapes", first), ("shapes", second)}
    assert "depends on it" in problems[0].text


def test_a_form_without_faces_and_one_that_is_missing():
    scene, box, _ = _scene()
    scene, copies = add_shape(scene, "Copies", CopiesOnGrid(form=box))
    emptied = _empty(scene, box)
    frame = evaluate(Project(emptied), 1)
    assert "has no faces: choose another shape" in frame.problems[0].text
    gone = edits.put(scene, ("shapes", copies, "source", "form"), "shape-99")
    _told(gone, copies, "not in the scene", "choose another")


@pytest.mark.parametrize("kind", [ScatteredCopies, CopiesOnElements])
def test_a_surface_that_is_missing_or_emptied(kind):
    scene, box, ball = _scene()
    scene, copies = add_shape(scene, "Copies", kind(form=box, surface=ball))
    _told(edits.put(scene, ("shapes", copies, "source", "surface"), "shape-99"), copies, "not in the scene")
    if kind is ScatteredCopies:
        assert "no faces" in evaluate(Project(_empty(scene, ball)), 1).problems[0].text
    else:
        faces = edits.put(_empty(scene, ball), ("shapes", copies, "source", "elements"), "faces")
        assert "no faces to stand on" in evaluate(Project(faces), 1).problems[0].text


def test_a_path_with_too_few_points_or_without_length():
    scene, box, _ = _scene()
    scene, path = add_control(scene, "path", "Path")
    scene, copies = add_shape(scene, "Copies", CopiesAlongPath(form=box, path=path))
    _told(scene, copies, "fewer than two points")
    still = edits.put(scene, ("controls", path, "points"), ((1.0, 0.0, 0.0), (1.0, 0.0, 0.0)))
    _told(still, copies, "at one place", "move them apart")


def test_more_copies_than_may_be():
    scene, box, _ = _scene()
    scene, copies = add_shape(scene, "Copies", CopiesOnGrid(form=box, columns=4000, rows=4000))
    _told(scene, copies, "16,000,000 copies", "use fewer columns")


def test_too_many_points_to_make_real_are_refused_and_the_copies_stay():
    scene, ball = add_shape(Scene(), "Ball", Sphere(0.5, 60))
    scene, copies = add_shape(scene, "Copies", CopiesOnGrid(form=ball, columns=200, rows=200))
    slot = EffectSlot("push", Push(0.1))
    scene = edits.put(scene, ("shapes", copies, "effects"), (slot,))
    frame = evaluate(Project(scene), 1)
    assert frame.problems[0].path == ("shapes", copies, "effects", "push")
    assert "864,080,000 points" in frame.problems[0].text
    assert "effects that act on copies" in frame.problems[0].text
    assert isinstance(frame[copies], Copies)
    assert not frame[copies].is_real


def test_a_fracture_where_the_density_is_nowhere_or_the_mesh_is_open():
    scene, _, ball = _scene()
    scene, control = add_control(scene, position=(90.0, 0.0, 0.0))
    scene, falloff = add_falloff(scene, "Far", (Layer("layer", Distance(control)),))
    slot = EffectSlot("cut", Fracture(30), (Route(falloff),))
    frame = evaluate(Project(edits.put(scene, ("shapes", ball, "effects"), (slot,))), 1)
    assert frame.problems[0].path == ("shapes", ball, "effects", "cut")
    assert "nowhere on the first frame" in frame.problems[0].text
    assert len(frame[ball].pieces) == 1
    scene, sheet = add_shape(scene, "Sheet", Grid(1.0, 1.0, 4, 4))
    scene = edits.put(scene, ("shapes", sheet, "effects"), (EffectSlot("cut", Fracture(30)),))
    problem = evaluate(Project(scene), 1).problems[0]
    assert problem.path == ("shapes", sheet, "effects", "cut")
    assert "16 open edges" in problem.text


def test_a_fracture_of_what_is_too_thin_for_so_many_cells_makes_fewer():
    scene, plate = add_shape(Scene(), "Plate", Box(1.0, 1e-4, 1.0, 1))
    scene = edits.put(scene, ("shapes", plate, "effects"), (EffectSlot("cut", Fracture(400)),))
    frame = evaluate(Project(scene), 1)
    assert len(frame[plate].pieces) <= 400 or frame.problems


def test_a_strand_between_nothing():
    scene, box, ball = _scene()
    scene, arcs = add_shape(scene, "Arcs", StrandsBetween(from_shape=box, to_shape=ball, elements="faces"))
    assert "has no faces: choose others" in evaluate(Project(_empty(scene, ball)), 1).problems[0].text
    everything = edits.put(scene, ("shapes", arcs, "source"), StrandsBetween(
        from_shape=box, to_shape=ball, pairs="all", lines=2000, points=1000))  # fmt: skip
    _told(everything, arcs, "points in all: use fewer")


def test_weights_that_are_no_numbers_cannot_enter_a_scene():
    scene, box, _ = _scene()
    scene, copies = add_shape(scene, "Copies", CopiesOnGrid(form=box))
    source = edits.get(scene, ("shapes", copies, "source"))
    for wrong in ("one two", "-1 2", "0 0"):
        with pytest.raises(SceneError, match="weights"):
            check(edits.put(scene, ("shapes", copies, "source"), structs.replace(source, weights=wrong)))


def test_weights_decide_how_often_each_form_is_shown():
    scene, box, ball = _scene()
    source = CopiesOnGrid(form=box, more=(ball,), columns=60, rows=50, choose="by weights", weights="3 1")
    scene, copies = add_shape(scene, "Copies", source)
    form = evaluate(Project(scene), 1)[copies].form
    assert (form == 0).mean() == pytest.approx(0.75, abs=0.03)
    turns = edits.put(scene, ("shapes", copies, "source", "choose"), "in turn")
    assert np.bincount(evaluate(Project(turns), 1)[copies].form).tolist() == [1500, 1500]


def test_a_formula_reduces_a_falloff_over_copies():
    scene, box, ball = _scene()
    scene, control = add_control(scene, position=(0.0, 2.0, 0.0))
    scene, falloff = add_falloff(scene, "Near", (Layer("layer", Distance(control)),))
    scene, copies = add_shape(scene, "Copies", CopiesOnGrid(form=box, columns=5, rows=5, size=(4.0, 0.0, 4.0)))
    scene = edits.put(scene, ("shapes", ball, "transform", "position"), (Formula("nearest(Near, Copies)"), 0.0, 0.0))
    frame = evaluate(Project(scene), 1)
    assert frame.problems == ()
    assert frame.shape(ball).transform.position[0] == pytest.approx(2.0, abs=1e-5)
    assert not frame[copies].is_real
    assert falloff
