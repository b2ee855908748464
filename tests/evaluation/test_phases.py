"""A speed that changes: what has passed is the integral of it, and loops close whatever it does."""

import numpy as np
import pytest
from scipy.integrate import quad
from tests.scenes import LINEAR

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.push import Push
from estompe.effects.sway import Sway
from estompe.evaluation import evaluate
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.setups.adding import add_shape
from estompe.shapes.sphere import Sphere

PATTERNS = ("gradient", "value", "simplex", "cellular", "sparse")
SLOWING = Keyed((Key(1.0, 1.0, "linear"), Key(145.0, 0.0, "linear")))


def _noisy(**settings) -> Project:
    scene, shape = add_shape(Scene(first=1, last=200), "Ball", Sphere(0.5, 6))
    noise = Falloff("n", "Noise", (Layer("l", Noise(1.0, 0.3, **settings)),), Range(1.0, -1.0), LINEAR)
    scene = edits.insert(scene, ("falloffs",), noise)
    return Project(edits.insert(scene, ("shapes", shape, "effects"), EffectSlot("e", Push(0.2), (Route("n"),))))


def _swaying(**settings) -> Project:
    scene, shape = add_shape(Scene(first=1, last=200), "Ball", Sphere(0.5, 6))
    return Project(
        edits.insert(scene, ("shapes", shape, "effects"), EffectSlot("e", Sway((0.2, 0.0, 0.0), **settings)))
    )


def _strength(project, frame):
    made = evaluate(project, frame)
    assert not made.problems, made.problems
    return made.strength("Ball", "n")


@pytest.mark.parametrize("outside", ["hold", "loop", "continue"])
def test_the_integral_of_keys_is_that_of_their_curve(outside):
    keys = (Key(3.0, 1.0), Key(10.0, -2.0, "linear"), Key(14.0, 0.5, "step"), Key(20.0, 4.0, "smooth", slope_in=0.3))
    number = Keyed(keys, outside, outside)
    for begin, end in ((-9.0, 3.0), (-4.5, 7.25), (3.0, 20.0), (8.0, 47.5), (21.0, 23.0)):
        breaks = np.arange(np.ceil(begin), end).tolist()
        exact = sum(quad(number.at, a, b, limit=200)[0] for a, b in zip([begin, *breaks], [*breaks, end], strict=True))
        assert number.integral(begin, end) == pytest.approx(exact, abs=1e-6)


@pytest.mark.parametrize("pattern", PATTERNS)
def test_a_noise_that_slows_down_is_where_the_integral_says(pattern):
    slowing, even = _noisy(pattern=pattern, speed=SLOWING), _noisy(pattern=pattern, speed=1.0)
    for frame in (1, 30, 73, 145):
        gone = frame - 1 - (frame - 1) ** 2 / 288.0
        assert np.abs(_strength(slowing, frame) - _strength(even, 1.0 + gone)).max() < 2e-4


def test_time_never_runs_back_while_a_speed_falls_to_nothing():
    for project in (_noisy(speed=SLOWING), _swaying(speed=SLOWING)):
        points = {frame: evaluate(project, frame)["Ball"].points for frame in (49, 61, 85, 97, 145, 160)}
        assert np.abs(points[61] - points[85]).max() > 0.01
        assert np.abs(points[49] - points[97]).max() > 0.01
        assert np.array_equal(points[145], points[160])


def test_a_speed_by_formula_is_integrated_too():
    by_formula, keyed = _noisy(speed=Formula("1 - (frame - 1) / 144")), _noisy(speed=SLOWING)
    for frame in (1, 12.5, 60, 145):
        assert np.abs(_strength(by_formula, frame) - _strength(keyed, frame)).max() < 1e-4


@pytest.mark.parametrize("pattern", PATTERNS)
@pytest.mark.parametrize("speed", [1.5, 0.0, SLOWING])
def test_a_loop_closes_and_has_no_smaller_one_inside(pattern, speed):
    project = _noisy(pattern=pattern, speed=speed, loop=90)
    first = _strength(project, 10)
    if speed == 0.0:
        assert np.array_equal(_strength(project, 40), first)
        return
    if isinstance(speed, float):
        assert np.array_equal(_strength(project, 100), first)
        assert min(np.abs(_strength(project, 10 + 15 * step) - first).mean() for step in range(1, 6)) > 0.02
    else:
        # Each loop begins and ends alike, though its speed is another one.
        assert np.abs(_strength(project, 90) - _strength(project, 180)).max() < 1e-5


def test_sway_loops_exactly_and_without_a_loop_does_not_come_back():
    looped, free = _swaying(speed=0.8, loop=60), _swaying(speed=0.8)
    first = evaluate(looped, 7)["Ball"].points
    assert np.array_equal(evaluate(looped, 67)["Ball"].points, first)
    assert np.abs(evaluate(looped, 37)["Ball"].points - first).max() > 0.01
    begun = evaluate(free, 1)["Ball"].points
    assert (
        min(np.abs(evaluate(free, 1 + frame)["Ball"].points - begun).max() for frame in range(24, 10_000, 199)) > 0.01
    )
