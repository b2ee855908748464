"""The way over a surface against closed forms: on a plane, a sphere and a cylinder, from places and regions."""

import numpy as np
import pytest
from tests.counting import CountingMemo
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.effects.separate import Separate
from estompe.effects.sway import Sway
from estompe.evaluation import evaluate
from estompe.evaluation.time.past import Past
from estompe.geometry.over_surface import FAR
from estompe.kernels.arrival import arrival, unfolded
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere
from estompe.shapes.tube import Tube


def _way(shape, lamp=(0.0, 0.0, 0.0), settings=None, falloffs=(), acts_on="points", effects=()):
    """The way over a shape, and the shape at rest in scene units."""
    made = Falloff(
        "way", "Way", (Layer("way", source("over-surface", **(settings or {"control": "lamp"}))),), AS_IT_IS, SAME
    )
    slot = EffectSlot("push", Push(0.0), (Route("way"),), acts_on=acts_on)
    slots = (*effects, slot)
    item = Shape("s", "S", shape, effects=slots)
    scene = Scene((item,), (Control("lamp", "Lamp", transform=Transform(lamp)),), (*falloffs, made))
    frame = evaluate(Project(scene), 1)
    assert not frame.problems, frame.problems
    return frame.shown("s", "way").values.astype(np.float64), frame["s"].rest.astype(np.float64), frame


def _errors(found, expected, from_):
    far = expected > from_
    return np.abs(found - expected)[far] / expected[far]


@pytest.mark.parametrize("columns", [20, 40, 90])
def test_on_a_plane_whatever_its_density(columns):
    found, rest, _ = _way(Grid(2.0, 2.0, columns, columns), (0.11, 0.3, -0.23))
    expected = np.linalg.norm(rest - (0.11, 0.0, -0.23), axis=1)
    # Where the start lies beside a corner, its shadow costs a quarter of an edge; else it is exact.
    assert np.abs(found - expected).max() < 0.25 * 2.0 / columns


@pytest.mark.parametrize("rings", [24, 48])
def test_on_a_sphere(rings):
    found, rest, _ = _way(Sphere(1.0, rings), (0.0, 3.0, 0.0))
    expected = np.arccos(np.clip(rest[:, 1] / np.linalg.norm(rest, axis=1), -1, 1))
    assert np.quantile(_errors(found, expected, 0.3), 0.99) < 0.012
    assert abs(found.max() - np.pi) < 0.06


def test_on_a_cylinder_the_shorter_way_round():
    found, rest, frame = _way(Tube(1.0, 4.0, 80, 40), (1.2, 0.0, 0.0))
    radius = np.hypot(rest[:, 0], rest[:, 2])
    side = (radius > 0.99) & (np.abs(rest[:, 1]) < 1.5)
    around = np.abs(np.arctan2(rest[:, 2], rest[:, 0]))
    start = frame["s"].rest[np.argmin(found)]
    expected = np.hypot(around, rest[:, 1] - start[1])
    near = side & (expected < 2.2)
    assert near.sum() > 500
    assert _errors(found[near], expected[near], 0.3).max() < 0.02


def test_from_a_region_it_starts_at_its_border_between_points_too():
    disc = Falloff("disc", "Disc", (Layer("d", source("distance", "lamp")),), Range(0.3, 0.5), SAME)
    for columns in (30, 60):
        settings = {"start": "falloff", "falloff": "disc"}
        found, rest, _ = _way(Grid(2.0, 2.0, columns, columns), settings=settings, falloffs=(disc,))
        expected = np.maximum(np.linalg.norm(rest, axis=1) - 0.4, 0.0)
        assert np.abs(found - expected).max() < 0.012
        line = Falloff("disc", "Disc", (Layer("d", source("sweep", "lamp", "x")),), Range(-0.1, 0.1), SAME)
        found, rest, _ = _way(Grid(2.0, 2.0, columns, columns), settings=settings, falloffs=(line,))
        assert np.abs(found - np.maximum(rest[:, 0], 0.0)).max() < 0.012


def test_slow_ground_counts_as_longer_and_a_wall_is_gone_around():
    half = Falloff("slow", "Slow", (Layer("d", source("formula", "0.5")),), AS_IT_IS, SAME)
    plain, _, _ = _way(Grid(2.0, 2.0, 30, 30))
    slow, _, _ = _way(Grid(2.0, 2.0, 30, 30), settings={"control": "lamp", "speed": "slow"}, falloffs=(half,))
    assert np.abs(slow / 2 - plain).max() < 0.04
    # A wall along Z behind the start, with open ends: who stands behind it is reached around its nearer end.
    text = "1 - (x > 0.2) * (x < 0.3) * (abs(z) < 0.5)"
    wall = Falloff("slow", "Slow", (Layer("d", source("formula", text)),), AS_IT_IS, SAME)
    found, rest, _ = _way(Grid(2.0, 2.0, 80, 80), settings={"control": "lamp", "speed": "slow"}, falloffs=(wall,))
    behind = np.argmin(np.linalg.norm(rest - (0.5, 0.0, 0.0), axis=1))
    around = np.hypot(0.2, 0.5) + 0.1 + np.hypot(0.2, 0.5)
    assert abs(found[behind] - around) < 0.05
    inside = (rest[:, 0] > 0.22) & (rest[:, 0] < 0.28) & (np.abs(rest[:, 2]) < 0.45)
    assert (found[inside] == FAR).all()


def test_faces_and_pieces_have_ways_of_their_own():
    on_faces, _, frame = _way(Grid(2.0, 2.0, 20, 20), acts_on="faces")
    middles = frame["s"].points[frame["s"].topology.corners].reshape(-1, 4, 3).mean(axis=1)
    assert np.abs(on_faces - np.linalg.norm(middles, axis=1)).max() < 0.05
    parted = (EffectSlot("parted", Separate()),)
    on_pieces, _, frame = _way(Grid(2.0, 2.0, 20, 20), acts_on="pieces", effects=parted)
    assert len(on_pieces) == 400
    assert on_pieces.min() < 0.1
    # From middle to middle of faces next to each other: never shorter than straight, at most as far as along two sides.
    straight = np.linalg.norm(middles, axis=1)
    assert (on_pieces > straight - 0.1).all()
    assert (on_pieces < 1.42 * straight + 0.2).all()


def test_it_is_found_once_while_the_mesh_sways():
    spot = Falloff("spot", "Spot", (Layer("h", source("formula", "x < 0")),), AS_IT_IS, SAME)
    way = Falloff("way", "Way", (Layer("w", source("over-surface", "falloff", "spot")),))
    effects = EffectSlot("sway", Sway((0.3, 0.2, 0.0))), EffectSlot("push", Push(0.1), (Route("way"),))
    project, memo = (
        Project(Scene((Shape("s", "S", Grid(1.0, 1.0, 20, 20), effects=effects),), (), (spot, way))),
        CountingMemo(),
    )
    past = Past(project, memo)
    for frame in (1, 2, 3):
        evaluate(project, frame, memo, None, past)
    # The start is measured on places that move, the way only when it is another start.
    assert memo.computed["measure"] <= 3 + 3
    rests = [evaluate(project, frame, memo, None, past)["s"].at_rest for frame in (1, 2)]
    assert rests[0] is rests[1]


def test_what_is_not_joined_is_never_reached():
    triangles = np.array([[0, 1, 2], [3, 4, 5]], np.int32)
    places = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [5, 0, 0], [6, 0, 0], [5, 1, 0]], np.float64)
    split, lengths = unfolded(places, triangles)
    starts, around = np.array([0, 1, 2, 3, 4, 5, 6], np.int32), np.array([0, 0, 0, 1, 1, 1], np.int32)
    first = np.array([0.0, *[np.inf] * 5])
    assert np.array_equal(arrival(split, lengths, starts, around, first), [0, 1, 1, np.inf, np.inf, np.inf])


def test_a_start_that_is_nowhere_is_said():
    never = Falloff("never", "Never", (Layer("d", source("formula", "0")),), AS_IT_IS, SAME)
    way = Falloff("way", "Way", (Layer("w", source("over-surface", "falloff", "never")),))
    push = EffectSlot("p", Sway(), routes=(Route("way"),))
    scene = Scene((Shape("s", "S", Grid(1.0, 1.0, 8, 8), effects=(push,)),), (), (never, way))
    frame = evaluate(Project(scene), 1)
    assert ["start is nowhere" in problem.text for problem in frame.problems] == [True]
