"""Each source against its closed form, with controls placed, turned and scaled."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from estompe.document.project import Project
from estompe.document.scene import Control, Falloff, Layer, RampPoint, Range, Scene, Shape, Transform
from estompe.evaluation import Memo, evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.other import Other
from estompe.falloffs.sweep import Sweep
from estompe.kinds.context import CannotEvaluateError
from estompe.shapes.sphere import Sphere

PLACEMENT = Transform((0.3, -0.2, 0.5), (25.0, 40.0, -10.0), (2.0, 0.5, 1.5))
_HERE = Transform()


def _measured(source, control: Control, place: Transform = _HERE, frame: float = 1):
    """The source's values on a sphere, and the sphere's world points."""
    scene = Scene(
        shapes=(Shape("s", "S", Sphere(1.0, 6), place),),
        controls=(control,),
        falloffs=(Falloff("f", "F", (Layer("l", source),)), Falloff("g", "G", (Layer("l", Distance("c")),))),
    )
    frame_made = evaluate(Project(scene), frame)
    return frame_made.shown("S", "F").values, frame_made["S"].points.astype(np.float64), frame_made


def _own(points: np.ndarray, transform: Transform) -> np.ndarray:
    """World points in a control's own space, by an independent rotation."""
    turned = (
        Rotation.from_euler("xyz", transform.rotation, degrees=True).inv().apply(points - np.array(transform.position))
    )
    return turned / np.array(transform.scale)


FORMS = {
    "sphere": lambda p: np.linalg.norm(p, axis=1),
    "box": lambda p: np.abs(p).max(axis=1),
    "plane": lambda p: np.abs(p[:, 1]),
    "cylinder": lambda p: np.maximum(np.hypot(p[:, 0], p[:, 2]), np.abs(p[:, 1])),
}


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("transform", [Transform(), PLACEMENT])
def test_distance_in_the_controls_own_space(form, transform):
    values, points, _ = _measured(Distance("c"), Control("c", "C", form, transform))
    assert np.abs(values - FORMS[form](_own(points, transform))).max() < 1e-5


def test_scaling_a_control_scales_both_ends_of_the_range():
    linear = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))

    def strength(size, full, gone):
        scene = Scene(
            shapes=(Shape("s", "S", Sphere(1.0, 6)),),
            controls=(Control("c", "C", transform=Transform((1.0, 0.0, 0.0), scale=(size, size, size))),),
            falloffs=(Falloff("f", "F", (Layer("l", Distance("c")),), Range(full, gone), linear),),
        )
        return evaluate(Project(scene), 1).strength("S", "F")

    assert np.allclose(strength(2.0, 0.3, 0.9), strength(1.0, 0.6, 1.8), atol=1e-6)


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_sweep_is_signed_distance_along_an_axis(axis):
    values, points, _ = _measured(Sweep("c", axis), Control("c", "C", "plane", PLACEMENT))
    assert np.abs(values - _own(points, PLACEMENT)[:, "xyz".index(axis)]).max() < 1e-5
    assert values.min() < 0 < values.max()


def test_world_noise_stays_where_it_is_and_local_noise_goes_along():
    control, away = Control("c", "C"), Transform((5.0, 0.0, 0.0), (0.0, 30.0, 0.0))
    for space, same in (("rest", True), ("world", False)):
        source = Noise(space=space)
        here, there = (_measured(source, control, place)[0] for place in (Transform(), away))
        assert np.array_equal(here, there) is same


def test_noise_without_speed_is_the_same_on_every_frame_and_with_speed_is_not():
    control = Control("c", "C")
    for speed, same in ((0.0, True), (0.5, False)):
        early, late = (_measured(Noise(speed=speed), control, frame=frame)[0] for frame in (1, 30))
        assert np.array_equal(early, late) is same


def test_another_falloff_gives_its_strength():
    values, _, frame = _measured(Other("g"), Control("c", "C"))
    assert np.array_equal(values, frame.strength("S", "G"))


def test_a_falloff_that_refers_to_itself_says_so_and_is_zero():
    scene = Scene(
        shapes=(Shape("s", "S", Sphere(1.0, 3)),),
        falloffs=(
            Falloff("a", "A", (Layer("l", Other("b")),), Range(1.0, 0.0)),
            Falloff("b", "B", (Layer("m", Other("a")),), Range(1.0, 0.0)),
        ),
    )
    frame = evaluate(Project(scene), 1)
    assert not frame.strength("S", "A").any()
    assert not frame.strength("S", "B").any()
    assert "refers back to itself" in frame.problems[0].text
    assert {problem.path for problem in frame.problems} == {
        ("falloffs", "a", "layers", "l"),
        ("falloffs", "b", "layers", "m"),
    }


def test_a_missing_control_says_so():
    falloffs = (Falloff("f", "F", (Layer("l", Distance("gone")),)),)
    frame = evaluate(Project(Scene((Shape("s", "S", Sphere(1.0, 3)),), falloffs=falloffs)), 1, Memo())
    frame.strength("S", "F")
    assert "Distance: it looks at a control that is not in the scene" in frame.problems[0].text


def test_missing_error_is_a_lookup_error():
    assert issubclass(CannotEvaluateError, LookupError)
