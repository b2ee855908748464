"""Parts that ride on controls and shapes: against matrices multiplied by hand."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, Falloff, Layer, Scene, Shape, Transform
from estompe.document.transforms import matrix_of
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.geometry.transforms import parts_of, transform_matrix
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.setups.parenting import with_parent
from estompe.shapes.box import Box

HOLDER = Transform((1.0, 2.0, 3.0), (20.0, -35.0, 70.0), (2.0, 2.0, 2.0))
RIDER = Transform((0.5, 0.0, -0.25), (0.0, 45.0, 0.0), (1.0, 0.5, 1.5))


def by_hand(*transforms: Transform) -> np.ndarray:
    made = np.eye(4)
    for item in transforms:
        step = np.eye(4)
        step[:3] = transform_matrix(item.position, item.rotation, item.scale)
        made = made @ step
    return made[:3]


def riding(**changes) -> Scene:
    transform = Transform(RIDER.position, RIDER.rotation, RIDER.scale, parent="holder")
    shape = Shape("box", "Box", Box(), transform)
    return Scene((shape,), (Control("holder", "Holder", transform=HOLDER), Control("eye", "Eye")), **changes)


def test_a_shape_rides_on_a_control_and_a_control_on_that_shape():
    scene = riding()
    scene = edits.put(scene, ("controls", "eye", "transform"), Transform((0.0, 1.0, 0.0), parent="box"))
    frame = evaluate(Project(scene), 1)
    assert frame.problems == ()
    assert np.allclose(matrix_of(frame.shape("box").transform), by_hand(HOLDER, RIDER), atol=1e-9)
    eye = next(item for item in frame.scene.controls if item.id == "eye")
    assert np.allclose(matrix_of(eye.transform), by_hand(HOLDER, RIDER, Transform((0.0, 1.0, 0.0))), atol=1e-9)
    local = evaluate(Project(Scene((Shape("box", "Box", Box()),))), 1)["box"].points
    matrix = by_hand(HOLDER, RIDER)
    assert np.allclose(frame["box"].points, local @ matrix[:, :3].T + matrix[:, 3], atol=1e-5)


def test_a_keyed_parent_and_one_that_follows_a_formula_carry_a_falloff_along():
    keyed = Keyed((Key(1.0, 0.0, "linear"), Key(11.0, 5.0, "linear")))
    controls = (
        Control("holder", "Holder", transform=Transform((keyed, Formula("Holder.position.x * 2"), 0.0))),
        Control("eye", "Eye", transform=Transform((0.0, 0.0, 1.0), parent="holder")),
    )
    falloff = Falloff("near", "Near", (Layer("by", Distance("eye")),))
    frame = evaluate(Project(Scene((Shape("box", "Box", Box()),), controls, (falloff,))), 6)
    eye = next(item for item in frame.scene.controls if item.id == "eye")
    assert np.allclose(matrix_of(eye.transform)[:, 3], (2.5, 5.0, 1.0))


def test_a_parent_that_rides_on_its_own_child_or_is_gone_is_a_problem_in_words():
    scene = riding()
    loop = edits.put(scene, ("controls", "holder", "transform", "parent"), "box")
    assert any("below itself" in item.text for item in evaluate(Project(loop), 1).problems)
    gone = edits.remove(scene, ("controls", "holder"))
    assert any("parent is not in the scene" in item.text for item in evaluate(Project(gone), 1).problems)


def test_taking_and_leaving_a_parent_keeps_the_place():
    scene = edits.put(riding(), ("shapes", "box", "transform"), Transform((3.0, 1.0, 0.5), (10.0, 20.0, 30.0)))
    placed = evaluate(Project(scene), 1).scene
    before = matrix_of(edits.get(placed, ("shapes", "box", "transform")))
    taken = with_parent(scene, placed, ("shapes", "box"), "holder")
    assert edits.get(taken, ("shapes", "box", "transform")).parent == "holder"
    now = evaluate(Project(taken), 1).scene
    assert np.allclose(matrix_of(edits.get(now, ("shapes", "box", "transform"))), before, atol=1e-5)
    left = with_parent(taken, now, ("shapes", "box"), None)
    assert edits.get(left, ("shapes", "box", "transform")).parent is None
    again = evaluate(Project(left), 1).scene
    assert np.allclose(matrix_of(edits.get(again, ("shapes", "box", "transform"))), before, atol=1e-5)
    with pytest.raises(ValueError, match="another parent"):
        with_parent(taken, now, ("controls", "holder"), "box")


def test_keyed_numbers_stay_when_a_parent_is_taken():
    keyed = Keyed((Key(1.0, 0.0), Key(11.0, 5.0)))
    scene = edits.put(riding(), ("shapes", "box", "transform"), Transform((keyed, 0.0, 0.0)))
    taken = with_parent(scene, evaluate(Project(scene), 1).scene, ("shapes", "box"), "holder")
    assert edits.get(taken, ("shapes", "box", "transform")).position == (keyed, 0.0, 0.0)


def test_a_matrix_is_split_into_what_it_was_made_of():
    rng = np.random.default_rng(3)
    for number in range(60):
        turn = rng.uniform(-180.0, 180.0, 3)
        if number % 10 == 0:
            turn[1] = 90.0 if number % 20 else -90.0
        scale = rng.uniform(0.2, 3.0, 3) * (np.array([-1.0, 1.0, 1.0]) if number % 3 == 0 else 1.0)
        matrix = transform_matrix(tuple(rng.normal(size=3)), tuple(turn), tuple(scale))
        assert np.allclose(transform_matrix(*parts_of(matrix)), matrix, atol=1e-7)
