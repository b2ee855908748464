"""Numbers that follow others: names, order of dependence, loops, limits, reductions, and what lies outside of keys."""

import numpy as np
import pytest
from tests.counting import CountingMemo
from tests.scenes import one_push

from estompe.document import edits
from estompe.document.naming import path_of, spoken
from estompe.document.project import Project
from estompe.document.resolving import Resolver
from estompe.document.scene import EffectSlot, Route, Scene, Shape
from estompe.effects.joints import Joints, straight_chain
from estompe.evaluation import evaluate
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Formula, Key, Keyed, moving
from estompe.shapes.sphere import Sphere

PUSH = ("shapes", "sphere", "effects", "push", "effect", "amount")
PLACE_X = ("controls", "lamp", "transform", "position", 0)


def _with(*changes):
    scene = one_push().scene
    for path, value in changes:
        scene = edits.put(scene, path, value)
    return scene


def test_a_formula_follows_a_keyed_number():
    keyed = Keyed((Key(1, 0.0, "linear"), Key(11, 1.0)))
    scene = _with((PLACE_X, keyed), (PUSH, Formula("Lamp.position.x / 2 + frame / 100")))
    resolver = Resolver(scene, 6)
    assert edits.get(resolver.scene(), PUSH) == pytest.approx(0.5 / 2 + 0.06)
    assert resolver.errors == {}


def test_formulas_of_formulas_are_worked_out_in_their_order():
    place_y = ("controls", "lamp", "transform", "position", 1)
    scene = _with((PUSH, Formula("Lamp.position.y * 2")), (place_y, Formula("Lamp.position.x + 1")))
    assert edits.get(Resolver(scene, 1).scene(), PUSH) == pytest.approx((0.6 + 1) * 2)


def test_a_loop_of_dependence_is_named():
    scene = _with((PUSH, Formula("Lamp.position.x")), (PLACE_X, Formula("Sphere.Push.amount + 1")))
    errors = Resolver(scene, 1).scene_errors()
    assert any(
        "it depends on itself: Sphere.Push.amount → Lamp.position.x → Sphere.Push.amount" in str(e)
        for e in errors.values()
    )


def test_what_is_wrong_is_a_problem_of_the_frame_and_the_value_is_zero():
    frame = evaluate(Project(_with((PUSH, Formula("1 / Lamp.position.y")))), 1)
    assert frame.problems[0].path == PUSH
    assert frame.problems[0].text == "Sphere.Push.amount: division by zero"
    assert np.array_equal(frame["Sphere"].points, frame["Sphere"].rest)


def test_a_formula_is_kept_within_the_settings_limits():
    scene = one_push().scene
    scene = edits.put(scene, ("falloffs", "near", "layers", "reach", "source"), Noise(roughness=Formula("frame")))
    resolved = edits.get(Resolver(scene, 30).scene(), ("falloffs", "near", "layers", "reach", "source", "roughness"))
    assert resolved == 1.0


def test_a_formula_that_comes_to_more_than_any_number_may_be_is_a_problem():
    frame = evaluate(Project(_with((PUSH, Formula("1000000 * 10000000")))), 1)
    assert "it comes to 1e+13, which is more than 1e+12" in frame.problems[0].text
    assert edits.get(frame.scene, PUSH) == 0.0


@pytest.mark.parametrize(("what", "reduced"), [("largest", np.max), ("smallest", np.min), ("mean", np.mean)])
def test_reductions_are_those_of_the_strength_over_the_shape(what, reduced):
    scene = _with((PUSH, Formula(f"{what}(Near, Sphere)")))
    frame = evaluate(Project(scene), 1)
    strength = frame.strength("Sphere", "Near")
    assert edits.get(frame.scene, PUSH) == pytest.approx(float(reduced(strength)), rel=1e-6)
    assert frame.reductions[what, "near", "sphere"] == edits.get(frame.scene, PUSH)


def test_the_nearest_and_farthest_measured_value_are_distances():
    scene = _with((PUSH, Formula("nearest(Near, Sphere)")), (PLACE_X, 2.0))
    assert edits.get(evaluate(Project(scene), 1).scene, PUSH) == pytest.approx(1.5, abs=1e-3)
    scene = edits.put(scene, PUSH, Formula("farthest(Near, Sphere)"))
    assert edits.get(evaluate(Project(scene), 1).scene, PUSH) == pytest.approx(2.5, abs=1e-3)


@pytest.mark.parametrize("text", ["largest(Near)", "largest(Sphere, Near)", "mean(Near, 2)", "largest(Far, Sphere)"])
def test_reductions_of_anything_else_are_refused(text):
    frame = evaluate(Project(_with((PUSH, Formula(text)))), 1)
    assert len(frame.problems) == 1


def test_a_reduction_that_depends_on_itself_is_named():
    scene = _with((("falloffs", "near", "range", "gone"), Formula("largest(Near, Sphere)")))
    frame = evaluate(Project(scene), 1)
    assert "depends on itself" in frame.problems[0].text


def test_a_control_that_follows_a_reduction_of_what_it_drives_is_named():
    frame = evaluate(Project(_with((PLACE_X, Formula("largest(Near, Sphere)")))), 1)
    assert [problem.text for problem in frame.problems if "depends on itself: Lamp.position.x" in problem.text]
    assert not any("failed" in problem.text for problem in frame.problems)


def test_spoken_names_lead_back_to_their_path():
    scene = edits.put(one_push().scene, ("shapes", "sphere", "effects", "push", "effect"), Joints())
    for path, _ in edits.numbers_below(scene):
        if "ramp" in path or len(path) == 1 or "profile" in path or "color" in path:
            continue
        assert path_of(scene, tuple(word.strip("'") for word in spoken(scene, path).split("."))) == path, spoken(
            scene, path
        )


def test_joints_are_known_by_their_own_names():
    scene = edits.put(one_push().scene, ("shapes", "sphere", "effects", "push", "effect"), Joints())
    path = ("shapes", "sphere", "effects", "push", "effect", "joints", "joint-2", "rotation", 0)
    assert path_of(scene, ("Joint_1", "rotation", "x")) == path


def test_a_route_can_follow_a_formula_and_unchanged_frames_are_remembered():
    scene = _with((("shapes", "sphere", "effects", "push", "routes", 0), Route("near", Formula("0.5"))))
    assert moving(scene).formulas
    memo = CountingMemo()
    evaluate(Project(scene), 1, memo)
    computed = sum(memo.computed.values())
    evaluate(Project(scene), 2, memo)
    assert sum(memo.computed.values()) == computed


def test_before_and_after_the_keys():
    keys = (Key(10, 0.0, "linear"), Key(20, 5.0, "linear"))
    assert Keyed(keys, before="hold").at(0) == 0.0
    assert Keyed(keys, before="continue").at(6) == pytest.approx(-2.0)
    assert Keyed(keys, after="continue").at(24) == pytest.approx(7.0)
    for frame in (10.0, 13.5, 19.0):
        assert Keyed(keys, after="loop").at(frame + 30) == pytest.approx(Keyed(keys).at(frame))
        assert Keyed(keys, before="loop").at(frame - 20) == pytest.approx(Keyed(keys).at(frame))


def test_tangents_of_ones_own_are_the_slopes_of_the_curve():
    number = Keyed((Key(0, 0.0, "smooth", slope_out=2.0), Key(10, 1.0, "smooth", slope_in=-1.0)))
    step = 1e-5
    assert (number.at(step) - number.at(0)) / step == pytest.approx(2.0, abs=1e-3)
    assert (number.at(10) - number.at(10 - step)) / step == pytest.approx(-1.0, abs=1e-3)
    assert number.at(10) == 1.0
    after = Keyed(number.keys, after="continue")
    assert after.at(12) == pytest.approx(1.0 - 2.0)


def test_a_part_below_the_families_is_found_by_its_name_as_it_is_now():
    joints = straight_chain((0, 0, 0), (0, 1, 0), 3)
    scene = Scene(shapes=(Shape("arm", "Arm", Sphere(), effects=(EffectSlot("bend", Joints(joints)),)),))
    path = ("shapes", "arm", "effects", "bend", "effect", "joints", "joint-2")
    assert path_of(scene, ("Joint 1", "rotation", "x")) == (*path, "rotation", 0)
    renamed = edits.put(scene, (*path, "name"), "Elbow")
    assert path_of(renamed, ("Elbow", "rotation", "x")) == (*path, "rotation", 0)
    with pytest.raises(LookupError, match="nothing here is called"):
        path_of(renamed, ("Joint 1", "rotation", "x"))
    assert path_of(scene, ("Joint_1",)) == path
