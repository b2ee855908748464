"""Falloffs on other frames: later, slower, backwards, and with a lag for each element, to the bit."""

import numpy as np
import pytest
from tests.remembering import EVERY_MEMORY, LAST, source, watched

from estompe.document import edits
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.geometry.random import random_of
from estompe.kinds.numbers import Formula, Key, Keyed


def _strength(project, frame):
    made = evaluate(project, frame)
    assert not made.problems, made.problems
    return made.strength("sheet", "watching")


def _near(frame):
    """What the others follow, through the same ramp and on the same points."""
    return _strength(watched(source("falloff", "near")), frame)


@pytest.mark.parametrize("name", [*EVERY_MEMORY, "distance"])
@pytest.mark.parametrize(
    ("at_frame", "looked_at"),
    [
        (Formula("frame - 5"), lambda frame: frame - 5),
        (Formula("frame / 2 + 1"), lambda frame: frame / 2 + 1),
        (Formula("30 - frame"), lambda frame: 30 - frame),
        (Keyed((Key(1, 1.0, "linear"), Key(LAST, 21.0, "linear"))), None),
    ],
)
def test_a_falloff_as_on_another_frame_is_what_it_is_there(name, at_frame, looked_at):
    kind = source("distance", "lamp") if name == "distance" else EVERY_MEMORY[name]()
    plain, timed = watched(kind), watched(kind, at_frame=at_frame)
    for frame in (4, 14, 22):
        there = looked_at(frame) if looked_at else at_frame.at(frame)
        assert np.array_equal(_strength(timed, frame), _strength(plain, there)), (frame, there)


def test_nothing_is_computed_again_for_a_frame_that_is_looked_at_later():
    project = watched(EVERY_MEMORY["spread"](), at_frame=Formula("frame - 6"))
    past = Past(project, Memo())
    for frame in range(1, 31):
        evaluate(project, frame, past.memo, None, past)
    assert past.steps == 23


def test_a_lag_of_whole_frames_is_the_frame_before_to_the_bit():
    project = watched(source("lag", "near", 7.0, "all alike"))
    assert np.array_equal(_strength(project, 20), _near(13))
    still = watched(source("lag", "near", 0.0))
    assert np.array_equal(_strength(still, 20), _near(20))


def test_each_element_lags_by_its_own_share():
    project = watched(source("lag", "near", 6.0, "random", seed=5))
    made = evaluate(project, 20)
    lag = random_of(np.arange(len(made["sheet"].points)), 5).astype(np.float64) * 6.0
    frames = np.stack([_near(20 - back) for back in range(8)]).astype(np.float64)
    whole, part = np.floor(lag).astype(int), lag % 1.0
    every = np.arange(len(lag))
    expected = frames[whole, every] * (1 - part) + frames[whole + 1, every] * part
    assert np.abs(made.strength("sheet", "watching") - expected).max() < 1e-5


def test_a_lag_by_another_falloff():
    project = watched(source("lag", "near", 6.0, "falloff", "half"))
    half = edits.get(project.scene, ("falloffs", "near"))
    layers = (type(half.layers[0])("even", source("formula", "0.5")),)
    scene = edits.insert(project.scene, ("falloffs",), type(half)("half", "Half", layers, half.range))
    scene = edits.put(scene, ("falloffs", "half", "range"), type(half.range)(1.0, 0.0))
    scene = edits.put(scene, ("falloffs", "half", "ramp"), half.ramp)
    project = project.with_scene(scene)
    assert np.abs(_strength(project, 20) - _near(17)).max() < 1e-5


def test_speed_of_a_control_and_of_points():
    project = watched(source("speed", "lamp"))
    made = evaluate(project, 10)
    assert np.allclose(made.shown("sheet", "watching").values, 0.9 / 19, atol=1e-6)
    still = watched(source("speed", None))
    falling = Keyed((Key(1, 0.0, "linear"), Key(11, 2.0, "linear")))
    scene = edits.put(still.scene, ("shapes", "sheet", "transform", "position"), (0.0, falling, 0.0))
    scene = edits.put(scene, ("shapes", "sheet", "effects"), ())
    made = evaluate(still.with_scene(scene), 5)
    assert np.allclose(made.shown("sheet", "watching").values, 0.2, atol=1e-6)


def test_what_is_wrong_on_the_other_frame_is_said():
    project = watched(source("distance", "lost"), at_frame=Formula("frame - 5"))
    frame = evaluate(project, 10)
    assert ["control that is not in the scene" in problem.text for problem in frame.problems] == [True]


def test_a_time_that_depends_on_the_falloff_itself_is_refused():
    project = watched(source("distance", "lamp"), at_frame=Formula("frame - mean(Watching, Sheet)"))
    frame = evaluate(project, 10)
    assert any("depends on itself" in problem.text for problem in frame.problems)
    assert np.isfinite(frame["sheet"].points).all()
