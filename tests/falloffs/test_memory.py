"""Each source with memory against its closed form."""

import numpy as np
import pytest
import scipy.sparse
from tests.remembering import AS_IT_IS, LAST, SAME, source, watched

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Shape
from estompe.effects.push import Push
from estompe.effects.separate import Separate
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.kernels.spread import neighbour_blocks, spread
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid
from estompe.shapes.primitives import grid

_RATE = 24.0


def _course(project, frames):
    past = Past(project, Memo())
    made = [evaluate(project, frame, past.memo, None, past) for frame in frames]
    assert not any(frame.problems for frame in made)
    return np.stack([frame.shown("sheet", "watching").values for frame in made]).astype(np.float64)


def _near(frames):
    return _course(watched(source("falloff", "near")), frames)


def test_stays_is_the_running_maximum():
    frames = range(1, 25)
    expected = np.maximum.accumulate(_near(frames), axis=0)
    assert np.array_equal(_course(watched(source("stays", "near")), frames), expected)


def test_after_glow_halves_in_its_time():
    frames = range(1, 41)
    near, glow = _near(frames), _course(watched(source("after-glow", "near", 0.25)), frames)
    top = near.argmax(axis=0)
    passed = np.flatnonzero((near.max(axis=0) > 0.5) & (top < 20) & (near[26:] == 0).all(axis=0))
    assert len(passed) > 10
    for point in passed:
        # Six frames are the quarter of a second in which it halves, once nothing feeds it any more.
        assert np.allclose(glow[38, point], glow[32, point] / 2, rtol=1e-4)
        assert np.allclose(glow[32, point], glow[26, point] / 2, rtol=1e-4)
    assert (glow >= near).all()


def test_reached_when_lies_on_the_straight_line_between_frames():
    frames = range(1, 41)
    near = _near(frames)
    reached = _course(watched(source("reached", "near", 0.4)), [40])[0]
    for point in range(near.shape[1]):
        past = np.flatnonzero(near[:, point] > np.float32(0.4))
        if not len(past):
            assert reached[point] == 1e6
        elif past[0] == 0:
            assert reached[point] == 1.0
        else:
            before, after = near[past[0] - 1, point], near[past[0], point]
            assert reached[point] == pytest.approx(past[0] + (0.4 - before) / (after - before), abs=1e-3)


def test_reached_in_seconds_and_seconds_since():
    frames = _course(watched(source("reached", "near", 0.4)), [30])[0]
    seconds = _course(watched(source("reached", "near", 0.4, "second")), [30])[0]
    since = _course(watched(source("reached", "near", 0.4, "seconds since")), [30])[0]
    there = frames < 1e6
    assert np.allclose(seconds[there], (frames[there] - 1) / _RATE, atol=1e-4)
    assert np.allclose(since[there], (30 - frames[there]) / _RATE, atol=1e-4)
    assert not since[~there].any()


def _line(threshold, rise, substeps=1, count=40):
    """Spread along a strip one face wide, from its left end."""
    start = Falloff("start", "Start", (Layer("d", source("formula", f"x < {0.5 - count / 2}")),), AS_IT_IS, SAME)
    kind = source("spread", "start", threshold, rise, varied=0.0, uneven=0.0, substeps=substeps, by="neighbours")
    fire = Falloff("watching", "Fire", (Layer("s", kind),), AS_IT_IS, SAME)
    push = EffectSlot("push", Push(0.0), (Route("watching"),))
    shape = Shape("sheet", "Sheet", Grid(float(count), 1.0, count, 1), effects=(push,))
    return Project(Scene((shape,), (), (start, fire), first=1, last=200))


@pytest.mark.parametrize(("threshold", "rise"), [(0.105, 2.4), (0.24, 2.4), (0.07, 4.9)])
def test_spread_goes_along_a_strip_as_its_rule_says(threshold, rise):
    """The rule in plain Python, column by column: both points of a column are alike, and lie next to each other."""
    project = _line(threshold, rise)
    values = [1.0] + [0.0] * 40
    step = np.float32(rise / _RATE)
    found = _course(project, [1, 20, 40, 60])
    expected = []
    for frame in range(1, 61):
        if frame in (1, 20, 40, 60):
            expected.append(list(values))
        # The other point of the same column is a neighbour as well.
        sides = [[value for k in (i - 1, i, i + 1) if 0 <= k <= 40 for value in (values[k],)] for i in range(41)]
        caught = [value > 0 or sum(side) > threshold * len(side) for value, side in zip(values, sides, strict=True)]
        values = [min(1.0, value + step) if on else value for value, on in zip(values, caught, strict=True)]
    columns = found.reshape(4, 2, 41)
    assert np.array_equal(columns[:, 0], columns[:, 1])
    assert np.abs(columns[:, 0] - np.array(expected)).max() < 1e-5


def test_spread_catches_off_line_ratios_in_whole_steps():
    """Each column goes off floor(threshold * neighbours / rise) + 1 steps after the one before: off whole ratios it is exact."""
    project = _line(0.105, 2.4)
    course = _course(project, range(1, 61)).reshape(60, 2, 41)[:, 0]
    first = [int(np.flatnonzero(course[:, column] > 0)[0]) for column in range(5, 12)]
    # In a strip each column has three neighbours: left, right and its own other point. It catches when left > 3 * 0.105.
    assert set(np.diff(first)) == {int(np.floor(3 * 0.105 / 0.1)) + 1}


@pytest.mark.parametrize("side", [90, 150])
def test_the_kernel_is_the_rule_with_scipy_to_the_bit(side):
    mesh = grid(1.0, 1.0, side, side)  # so few that one thread runs, and so many that all do
    starts, members = mesh.topology.neighbours
    count = len(mesh.points)
    hand = np.random.default_rng(2)
    start = np.zeros(count, np.float32)
    start[hand.integers(0, count, 5)] = 1
    rate = (0.1 * (0.5 + hand.random(count))).astype(np.float32)
    rate[hand.integers(0, count, 800)] = 0
    limit = (0.05 * np.diff(starts) * (0.5 + hand.random(count))).astype(np.float32)
    around = scipy.sparse.csr_matrix((np.ones(len(members), np.float32), members, starts), (count, count))

    def ruled(values, start, steps):
        for _ in range(steps):
            caught = (values > 0) | (around @ values > limit)
            values = np.maximum(np.where(caught, np.minimum(values + rate, np.float32(1)), values), start)
        return values

    expected = ruled(start, start, 120)
    made = spread(start, start, (starts, members), neighbour_blocks(starts, members), rate, limit, 120)
    assert 0.05 < (made > 0).mean() < 1.0
    assert np.array_equal(made, expected)
    # In parts it is the same: what sleeps is found again.
    parts = start
    for _ in range(12):
        parts = spread(parts, start, (starts, members), neighbour_blocks(starts, members), rate, limit, 10)
    assert np.array_equal(parts, expected)
    # What begins by itself, far from all that is under way, and in an odd number of sub-steps.
    later = np.where(hand.random(count) < 3e-3, np.float32(0.4), start)
    again = spread(made, later, (starts, members), neighbour_blocks(starts, members), rate, limit, 7)
    assert np.array_equal(again, ruled(expected, later, 7))
    assert not np.array_equal(again, ruled(expected, start, 7))


def test_nothing_passes_a_barrier_at_full_strength():
    project = _line(0.1, 9.0)
    layer = Layer("b", source("formula", "abs(x) < 0.6"))
    scene = edits.insert(project.scene, ("falloffs",), Falloff("held", "Held", (layer,), AS_IT_IS, SAME))
    scene = edits.put(scene, ("falloffs", "watching", "layers", "s", "source", "barrier"), "held")
    found = _course(Project(scene), [150])[0].reshape(2, 41)[0]
    assert (found[:20] == 1.0).all()
    assert not found[20:].any()


@pytest.mark.parametrize("acts_on", ["faces", "pieces"])
def test_faces_and_pieces_catch_from_each_other(acts_on):
    project = watched(source("spread", "near", 0.05, 20.0, pace=1.5), points=16, keys=((1, -0.5), (2, -0.5)))
    rotated = EffectSlot("push", Push(0.1), (Route("watching"),), acts_on=acts_on)
    scene = edits.put(project.scene, ("shapes", "sheet", "effects"), (EffectSlot("parted", Separate()), rotated))
    project = project.with_scene(scene)
    course = _course(project, [1, 40])
    assert course.shape[1] == 256
    assert 0 < (course[0] > 0).mean() < 0.5
    assert (course[1] > 0.99).mean() > 0.9


def test_the_start_may_move():
    keys = ((1, -0.5), (30, 0.5), (31, 0.5))
    slow = source("spread", "near", 0.9, 24.0)
    stays = source("stays", "near")
    moved, trail = _course(watched(slow, keys=keys), [31])[0], _course(watched(stays, keys=keys), [31])[0]
    assert (moved[trail > 0] == 1.0).mean() > 0.95


def test_the_speed_of_after_glow_may_be_keyed():
    half = Keyed((Key(1, 0.0, "step"), Key(20, 100.0, "step")))
    glow = _course(watched(source("after-glow", "near", half)), [19, 20, 30])
    near = _near([19, 20, 30])
    assert np.array_equal(glow[0], near[0])
    assert glow[2].max() > 0.9 * glow[1].max()


def _reached(points: int, frames: float, **settings) -> float:
    """How far along a sheet of side 1 the front has come after so many frames, scene units, from its left edge."""
    kind = source("spread", "start", rise=1000.0, varied=0.0, uneven=0.0, **settings)
    sheet = Shape(
        "sheet", "Sheet", Grid(1.0, 1.0, points, points), effects=(EffectSlot("p", Push(0.1), (Route("run"),)),)
    )
    start = Falloff("start", "Start", (Layer("l", source("height", axis="x")),), Range(0.02, 0.04), SAME)
    run = Falloff("run", "Run", (Layer("s", kind),), AS_IT_IS, SAME)
    project = Project(Scene((sheet,), (), (start, run), first=1, last=100))
    made = evaluate(project, 1 + frames)
    caught = made.strength("sheet", "run") > 0.5
    return float(made["sheet"].rest[caught, 0].max()) + 0.5


@pytest.mark.parametrize("points", [16, 32, 64])
@pytest.mark.parametrize("substeps", [1, 4, 16])
def test_spread_keeps_its_pace_on_any_mesh_and_in_any_steps(points, substeps):
    for frames in (12, 24, 30):
        wanted = 0.03 + 0.6 * frames / 24
        reached = _reached(points, frames, pace=0.6, substeps=substeps)
        # A front lies between the last point that it has caught and the next one.
        assert reached <= wanted + 0.01
        assert reached >= wanted - 1.2 / points - 0.01


def test_spread_at_a_pace_is_the_same_whatever_was_asked_before():
    project = watched(source("spread", "near", pace=0.4))
    past = Past(project, Memo())
    asked = {
        frame: evaluate(project, frame, past.memo, None, past).strength("sheet", "watching") for frame in (30, 7, 18.5)
    }
    for frame, values in asked.items():
        assert np.array_equal(evaluate(project, frame).strength("sheet", "watching"), values)


def test_spread_at_a_pace_goes_round_a_barrier_and_not_through_it():
    held = Falloff("held", "Held", (Layer("h", source("height", axis="x")),), Range(0.5, 0.45), SAME)
    project = watched(
        source("spread", "near", rise=100.0, uneven=0.0, pace=2.0, barrier="held"), keys=((1, -0.5), (2, -0.5))
    )
    scene = edits.insert(project.scene, ("falloffs",), held)
    made = evaluate(Project(scene), LAST)
    caught, across = made.strength("sheet", "watching") > 0.5, made["sheet"].rest[:, 0]
    assert caught[across < -0.1].all()
    assert not caught[across > 0.05].any()
