"""Winds of the scene: how the air moves, by closed forms, and what cloth, loose pieces and swaying things do in them."""

import math

import numpy as np
import pytest
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform, Wind
from estompe.effects.cloth import Cloth
from estompe.effects.set_loose import SetLoose
from estompe.effects.sway import Sway
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.falloffs.blowing import velocity_at
from estompe.kinds.context import Blowing, Placed
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid


def _placed(matrix=None, **settings):
    values = {
        "speed": 2.0,
        "gusts": 0.0,
        "swirl": 0.0,
        "size": 1.0,
        "pace": 1.5,
        "seed": 1,
        "within": None,
        "seconds": 0.0,
    }
    blowing = Blowing(**{**values, **settings})
    return Placed("wind", np.eye(4)[:3] if matrix is None else matrix, np.zeros((0, 3), np.float32), blowing)


def _places(count=400, seed=1):
    return np.random.default_rng(seed).uniform(-3.0, 3.0, (count, 3)).astype(np.float32)


def _wind(wind=None, **transform):
    return Control("wind", "Wind", "wind", Transform(**transform), wind=wind or Wind(gusts=0.0))


def _frame(project, number):
    past = Past(project, Memo())
    frame = evaluate(project, number, past.memo, None, past)
    assert not frame.problems, frame.problems
    return frame


def test_without_gusts_the_air_moves_along_the_arrow_and_a_longer_arrow_blows_harder():
    turn = math.radians(30.0)
    matrix = np.zeros((3, 4))
    matrix[:, 0], matrix[:, 1], matrix[2, 2] = (3 * math.cos(turn), 0.0, 3 * math.sin(turn)), (0.0, 1.0, 0.0), 1.0
    velocity = velocity_at(_placed(matrix), _places())
    assert np.allclose(velocity, (6.0 * math.cos(turn), 0.0, 6.0 * math.sin(turn)), atol=1e-5)


def test_gusts_travel_along_the_arrow_at_their_pace_and_keep_the_direction():
    places = _places()
    before = velocity_at(_placed(gusts=0.8, seconds=1.0), places)
    after = velocity_at(_placed(gusts=0.8, seconds=3.0), places + np.float32((3.0, 0.0, 0.0)))
    assert np.allclose(before, after, atol=1e-4)
    assert np.ptp(before[:, 0]) > 1.0
    assert not before[:, 1:].any()


def test_eddies_have_no_divergence_and_are_as_strong_as_their_share():
    wind, places, step = _placed(swirl=0.5), _places(2000), 0.01
    velocity = velocity_at(wind, places) - np.float32((2.0, 0.0, 0.0))
    slopes = np.empty((len(places), 3, 3))
    for axis in range(3):
        way = np.zeros(3, np.float32)
        way[axis] = step
        ahead, behind = (velocity_at(wind, places + sign * way).astype(np.float64) for sign in (1, -1))
        slopes[:, axis] = (ahead - behind) / (2 * step)
    divergence = np.trace(slopes, axis1=1, axis2=2)
    assert np.sqrt((divergence**2).mean()) < 0.02 * np.sqrt((slopes**2).sum(axis=(1, 2)).mean())
    assert 0.3 < np.linalg.norm(velocity, axis=1).mean() < 2.0


def test_loose_pieces_take_the_speed_of_the_wind_as_their_drag_says():
    loose = SetLoose(ground="none", gravity=(0.0, 0.0, 0.0), drag=1.5, blown_by="wind")
    body = Shape("body", "Body", Box(0.2, 0.2, 0.2, 1), effects=(EffectSlot("loose", loose, acts_on="pieces"),))
    project = Project(Scene((body,), (_wind(),), first=1, last=96))
    way = float(_frame(project, 49)["body"].points[:, 0].mean())
    assert way == pytest.approx(2.0 * (2.0 - (1.0 - math.exp(-3.0)) / 1.5), rel=0.01)


def test_cloth_blown_by_a_wind_hangs_as_it_does_in_a_wind_of_its_own():
    held = Falloff("free", "Free", (Layer("l", source("formula", "y < 0.99")),), AS_IT_IS, SAME)
    points = []
    for cloth in (Cloth(wind=(0.0, 0.0, 2.0), gusts=0.0, drag=5.0), Cloth(blown_by="wind", drag=5.0)):
        slots = (EffectSlot("cloth", cloth, (Route("free"),)),)
        sheet = Shape("sheet", "Sheet", Grid(1.0, 1.0, 12, 12), Transform((0.0, 0.5, 0.0), (90.0, 0.0, 0.0)), slots)
        scene = Scene((sheet,), (_wind(rotation=(0.0, -90.0, 0.0)),), (held,), first=1, last=96)
        points.append(_frame(Project(scene), 12)["sheet"].points)
    assert np.allclose(*points, atol=1e-5)
    assert points[0][:, 2].max() > 0.2


def _swaying(sway, controls, falloffs=()):
    post = Shape("post", "Post", Box(0.2, 2.0, 0.2, 4), Transform((0.0, 1.0, 0.0)), (EffectSlot("sway", sway),))
    return Project(Scene((post,), controls, falloffs, first=1, last=96))


def test_sway_bends_over_by_the_wind_with_the_height_over_its_root():
    bent = _frame(_swaying(Sway(by=(0.0,) * 3, blown_by="wind", bends=0.1, stiffness=2.0), (_wind(),)), 10)[
        "post"
    ].points
    still = _frame(_swaying(Sway(by=(0.0,) * 3), ()), 10)["post"].points
    height = still[:, 1] / 2.0
    assert np.allclose(bent - still, np.stack([0.2 * height**2, 0 * height, 0 * height], axis=1), atol=1e-5)


def test_a_wind_blows_within_its_falloff_alone_and_with_keyed_speed():
    upper = Falloff("upper", "Upper", (Layer("l", source("formula", "y > 1.9")),), AS_IT_IS, SAME)
    keyed = Wind(speed=Keyed((Key(1, 0.0, "linear"), Key(11, 4.0, "linear"))), gusts=0.0, within="upper")
    project = _swaying(Sway(by=(0.0,) * 3, blown_by="wind", bends=0.1), (_wind(keyed),), (upper,))
    first, later = (_frame(project, number)["post"].points for number in (1, 6))
    moved = np.abs(later - first).max(axis=1) > 0
    assert np.array_equal(moved, first[:, 1] > 1.9)
    assert (later - first)[moved, 0] == pytest.approx(0.2, abs=1e-5)


def test_what_it_blows_can_be_copies_and_what_refers_in_a_circle_is_said_in_words():
    layer = Layer("l", source("surface", "post"))
    circle = Falloff("circle", "Circle", (layer,))
    project = _swaying(Sway(blown_by="wind"), (_wind(Wind(within="circle")),), (circle,))
    problems = evaluate(project, 5).problems
    assert problems
    assert all("RecursionError" not in problem.text for problem in problems)
    gone = project.with_scene(edits.put(project.scene, ("controls",), ()))
    assert any("not in the scene" in problem.text for problem in evaluate(gone, 5).problems)
