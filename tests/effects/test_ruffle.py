"""Ruffle in scenes: it grows where a falloff says and stays, goes along with the shape, keeps out of what is in the way."""

import numpy as np
import pytest
from tests.crossings import crossings
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.ruffle import GROWTH, Ruffle
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.geometry import Domain
from estompe.kernels.compile import use_threads
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

pytestmark = pytest.mark.thorough


def _sheet(ruffle, formula="1", place=None, more=(), controls=(), before=(), after=()):
    """A sheet that ruffles where a formula says."""
    falloff = Falloff("where", "Where", (Layer("layer", source("formula", formula)),), AS_IT_IS, SAME)
    slots = (*before, EffectSlot("ruffle", ruffle, (Route("where"),)), *after)
    sheet = Shape("sheet", "Sheet", Grid(1.0, 1.0, 14, 14), place or Transform(), slots)
    return Project(Scene((sheet, *more), controls, (falloff,), first=1, last=60))


def _frames(project, *numbers):
    past = Past(project, Memo())
    frames = [evaluate(project, number, past.memo, None, past) for number in numbers]
    assert not [problem.text for frame in frames for problem in frame.problems]
    return [frame["sheet"] for frame in frames]


def _area(mesh):
    a, b, c = (mesh.points[mesh.topology.triangles[:, k]].astype(np.float64) for k in range(3))
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()


def test_lengths_grow_by_the_speed_and_up_to_a_size():
    # A second at 80 % a second makes lengths 1.8 times as long, and areas 3.24 times as large.
    first, second, later = _frames(_sheet(Ruffle(speed=0.8, most=1.8)), 1, 25, 31)
    assert first.topology.faces == 14 * 14
    assert _area(second) == pytest.approx(1.8**2, rel=0.04)
    assert _area(later) == pytest.approx(1.8**2, rel=0.04)
    assert crossings(later.points, later.topology.triangles) == 0
    assert "lengths up to 1.80 times as long" in Ruffle.summary(later)
    assert Ruffle.summary(first) == "nothing has grown yet"


def test_what_was_ruffled_stays_when_the_falloff_has_gone_and_the_rest_is_held():
    early, late = _frames(_sheet(Ruffle(speed=2.0, most=1.6), "if(x > 0.1 and frame < 8, 1, 0)"), 8, 20)
    assert _area(late) == pytest.approx(_area(early), rel=0.05)
    assert np.ptp(late.points[:, 1]) > 0.05
    still = np.flatnonzero(Grid(1.0, 1.0, 14, 14).build({}).points[:, 0] < 0.0)
    assert np.array_equal(late.points[still], Grid(1.0, 1.0, 14, 14).build({}).points[still])
    assert (late.attribute(*GROWTH)[still] == 1.0).all()


def test_it_goes_along_with_the_shape_whatever_its_pace():
    turn = Keyed((Key(1, 0.0, "linear"), Key(12, 170.0, "linear")))
    moving = Transform((Keyed((Key(1, 0.0, "linear"), Key(12, 5.0, "linear"))), 0.0, 0.0), (0.0, turn, 0.0))
    still, moved = (_frames(_sheet(Ruffle(speed=2.0), place=place), 12)[0] for place in (None, moving))
    angle = np.radians(170.0)
    turned = still.points @ np.array([[np.cos(angle), 0, -np.sin(angle)], [0, 1, 0], [np.sin(angle), 0, np.cos(angle)]])
    assert len(moved.points) == pytest.approx(len(still.points), rel=0.02)
    assert _area(moved) == pytest.approx(_area(still), rel=0.02)
    assert np.abs(moved.bounds[0] - (turned.min(axis=0) + (5.0, 0.0, 0.0))).max() < 0.1


def test_it_keeps_out_of_a_control_and_of_a_shape():
    ball = Control("ball", "Ball", transform=Transform((0.0, -0.07, 0.0)))
    body = Shape("body", "Body", Sphere(0.1, 12), Transform((0.0, -0.07, 0.0)), visible=False)
    free = _frames(_sheet(Ruffle(speed=1.5, most=2.0)), 16)[0]
    for ruffle in (Ruffle(speed=1.5, most=2.0, control="ball", radius=0.1), Ruffle(speed=1.5, most=2.0, shape="body")):
        mesh = _frames(_sheet(ruffle, controls=(ball,), more=(body,)), 16)[0]
        away = np.linalg.norm(mesh.points - (0.0, -0.07, 0.0), axis=1)
        assert away.min() > 0.095
        assert _area(mesh) == pytest.approx(_area(free), rel=0.1)
    assert np.linalg.norm(free.points - (0.0, -0.07, 0.0), axis=1).min() < 0.1


def test_other_effects_measure_its_growth():
    tint = EffectSlot("tint", Color((1.0, 0.0, 0.0)), (Route("grown"),))
    project = _sheet(Ruffle(speed=2.0), "if(x > 0.1, 1, 0)", after=(tint,))
    grown = Falloff("grown", "Grown", (Layer("times", source("loose", "growth")),), Range(2.0, 1.0), SAME)
    scene = edits.insert(project.scene, ("falloffs",), grown)
    mesh = _frames(Project(scene), 10)[0]
    assert len(np.unique(mesh.attribute(Domain.POINT, "color")[:, 1].round(3))) >= 3


def test_the_same_bits_in_any_order_and_on_any_number_of_threads():
    project = _sheet(Ruffle(speed=1.0), "clamp(x + 0.5, 0, 1)")
    twelve, five = _frames(project, 12, 5)
    use_threads(1)
    try:
        again, last = _frames(project, 5, 12)
    finally:
        use_threads(0)
    assert np.array_equal(again.points, five.points)
    assert np.array_equal(last.points, twelve.points)


def test_words_for_what_cannot_grow():
    changing = EffectSlot("fine", Subdivide(1), (Route("later"),))
    project = _sheet(Ruffle(speed=1.0), before=(changing,))
    later = Falloff("later", "Later", (Layer("when", source("formula", "if(frame > 3, 1, 0)")),), AS_IT_IS, SAME)
    scene = edits.insert(project.scene, ("falloffs",), later)
    past = Past(Project(scene), Memo())
    assert "put this before what changes them" in evaluate(past.project, 6, past.memo, None, past).problems[0].text
