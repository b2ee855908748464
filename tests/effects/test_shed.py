"""Shed: how many come off and when, flights by closed forms, eddies, ends, what is in the way, and the same bits in any order."""

import math

import numpy as np
import pytest
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform, Wind
from estompe.effects.separate import Separate
from estompe.effects.shed import AGE, Shed
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.geometry import Domain
from estompe.kernels.compile import use_threads
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid
from estompe.shapes.octahedron import Octahedron

pytestmark = pytest.mark.thorough
_PLAIN = {"out": 0.0, "scatter": 0.0, "swirl": 0.0, "uneven": 0.0, "tumble": 0.0}


def _says(name, formula):
    return Falloff(name, name.title(), (Layer(f"{name}-layer", source("formula", formula)),), AS_IT_IS, SAME)


def _flakes(shed, front="1", across=8, controls=(), falloffs=(), fps=24.0, place=None):
    """A sheet of faces that come off where a formula says."""
    slots = (EffectSlot("faces", Separate()), EffectSlot("shed", shed, (Route("front"),), acts_on="pieces"))
    sheet = Shape("sheet", "Sheet", Grid(2.0, 2.0, across, across), place or Transform(), slots)
    scene = Scene((sheet,), controls, (_says("front", front), *falloffs), first=1, last=240, frames_per_second=fps)
    return Project(scene)


def _sparks(shed, front="1", controls=(), falloffs=()):
    slots = (EffectSlot("shed", shed, (Route("front"),), acts_on="pieces"),)
    grid = CopiesOnGrid(form="spark", columns=20, rows=20, size=(2.0, 0.0, 2.0))
    shapes = (Shape("spark", "Spark", Octahedron(0.02), visible=False), Shape("sparks", "Sparks", grid, effects=slots))
    return Project(Scene(shapes, controls, (_says("front", front), *falloffs), first=1, last=240))


def _frames(project, *numbers):
    past = Past(project, Memo())
    frames = [evaluate(project, number, past.memo, None, past) for number in numbers]
    assert not [problem.text for frame in frames for problem in frame.problems]
    return frames


def _heights(frames):
    return [float(frame["sheet"].points[:, 1].mean(dtype=np.float64)) for frame in frames]


@pytest.mark.parametrize("drag", [0.0, 1.5, 8.0])
def test_a_fall_with_and_without_air_is_its_closed_form(drag):
    shed = Shed(lives=100.0, drag=drag, push=(0.0, 1.0, 0.0), **_PLAIN)
    before, after = _heights(_frames(_flakes(shed), 1, 49))
    end = -9.81 / drag if drag else 0.0
    fallen = 2.0 - 0.5 * 9.81 * 4.0 if not drag else end * 2.0 + (1.0 - end) * (1.0 - math.exp(-2.0 * drag)) / drag
    assert after - before == pytest.approx(fallen, abs=2e-4)


def test_pieces_go_with_the_wind_and_keep_the_speed_of_what_they_come_off():
    wind = Control("wind", "Wind", "wind", wind=Wind(3.0, gusts=0.0))
    shed = Shed(lives=100.0, drag=2.0, gravity=(0.0,) * 3, blown_by="wind", keeps=0.0, **_PLAIN)
    before, after = _frames(_flakes(shed, controls=(wind,)), 1, 49)
    way = float((after["sheet"].points - before["sheet"].points)[:, 0].mean())
    assert way == pytest.approx(3.0 * (2.0 - (1.0 - math.exp(-4.0)) / 2.0), rel=1e-3)
    moving = Transform((Keyed((Key(1, 0.0, "linear"), Key(241, 20.0, "linear"))), 0.0, 0.0))
    shed = Shed(lives=100.0, drag=0.0, gravity=(0.0,) * 3, keeps=0.5, **_PLAIN)
    first, last = _frames(_flakes(shed, "frame > 12", place=moving), 20, 44)
    assert float((last["sheet"].points - first["sheet"].points)[:, 0].mean()) == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("fps", [24.0, 60.0])
def test_a_front_sheds_each_piece_once_at_its_own_moment_whatever_the_frame_rate(fps):
    shed = Shed(lives=100.0, drag=0.0, **_PLAIN)
    project = _flakes(shed, f"((frame - 1) / {fps} - 1 - x) * 5 + 0.5", 16, fps=fps)
    frame = round(1.5 * fps) + 1
    (after,) = _frames(project, frame)
    mesh = after["sheet"]
    age, now = mesh.attribute(Domain.PIECE, AGE), (frame - 1) / fps
    middles = (np.arange(16) + 0.5) / 8.0 - 1.0
    x = np.array([mesh.rest[mesh.pieces.of == piece, 0].mean() for piece in range(len(age))])
    assert np.count_nonzero(age) == 16 * np.count_nonzero(middles < now - 1.0)
    under_way = age > 0
    born_later = x[under_way] > -0.9  # what the front had passed on the first frame comes off at once
    assert age[under_way][born_later] == pytest.approx(now - 1.0 - x[under_way][born_later], abs=1.0 / fps)


def test_a_piece_shrinks_at_the_end_of_its_time_and_is_gone():
    shed = Shed(lives=1.0, shrinks=0.5, gravity=(0.0,) * 3, **_PLAIN)
    sizes = [
        float(np.ptp(frame["sheet"].points[:4], axis=0).max()) for frame in _frames(_flakes(shed), 1, 10, 19, 26, 40)
    ]
    assert sizes[1] == pytest.approx(sizes[0], rel=1e-4)
    assert sizes[2] == pytest.approx(0.5 * sizes[0], rel=0.01)
    assert sizes[3:] == [0.0, 0.0]


def test_copies_are_hidden_before_and_after_and_keep_their_ids():
    project = _sparks(Shed(before="hidden", lives=0.5, uneven=0.0), "frame / 24 - x")
    first, midst, late = (frame["sparks"] for frame in _frames(project, 1, 20, 60))
    assert not first.is_real
    assert np.array_equal(first.ids, late.ids)
    assert first.shown.sum() == 0
    assert 0 < midst.shown.sum() < 400
    assert late.shown.sum() == 0
    assert np.array_equal(midst.shown, midst.attribute(Domain.PIECE, AGE) > 0)


def test_what_is_gone_comes_back_and_is_shed_again_if_wanted():
    front = "(frame < 20) + (frame > 60)"
    for again, wanted in ((False, 0), (True, 400)):
        project = _sparks(Shed(before="hidden", lives=0.5, uneven=0.0, again=again), front)
        (frame,) = _frames(project, 66)
        assert frame["sparks"].shown.sum() == wanted


def test_pieces_bounce_off_the_ground_and_a_control():
    shed = Shed(lives=100.0, drag=0.0, ground="level", height=-1.0, bounce=0.5, **_PLAIN)
    heights = _heights(_frames(_flakes(shed), *range(1, 40)))
    assert min(heights) >= -1.0
    landed = int(np.argmin(heights[:20]))
    assert max(heights[landed:]) + 1.0 == pytest.approx(0.25, abs=0.05)
    ball = Control("ball", "Ball", transform=Transform((0.0, -1.0, 0.0)))
    shed = Shed(lives=100.0, controls=("ball",), radius=0.8, **_PLAIN)
    (frame,) = _frames(_flakes(shed, controls=(ball,)), 40)
    mesh = frame["sheet"]
    middles = np.array([mesh.points[mesh.pieces.of == piece].mean(axis=0) for piece in range(len(mesh.pieces))])
    assert np.linalg.norm(middles - (0.0, -1.0, 0.0), axis=1).min() > 0.79


def test_the_same_bits_in_any_order_and_on_any_number_of_threads_and_held_pieces_keep_theirs():
    project = _sparks(Shed(swirl=2.0), "frame / 24 - x")
    one = [frame["sparks"].positions for frame in _frames(project, 12, 24)]
    other = [frame["sparks"].positions for frame in _frames(project, 24, 12)][::-1]
    use_threads(1)
    try:
        third = [frame["sparks"].positions for frame in _frames(project, 12, 24)]
    finally:
        use_threads(0)
    assert all(np.array_equal(a, b) and np.array_equal(a, c) for a, b, c in zip(one, other, third, strict=True))
    bare = project.with_scene(edits.put(project.scene, ("shapes", "sparks", "effects"), ()))
    held = _frames(project, 12)[0]["sparks"].attribute(Domain.PIECE, AGE) == 0
    assert 0 < held.sum() < 400
    assert np.array_equal(one[0][held], evaluate(bare, 12)["sparks"].positions[held])


def test_wild_settings_stay_finite():
    hand = np.random.default_rng(5)
    for _ in range(40):
        shed = Shed(
            lives=float(hand.uniform(0.01, 5)), uneven=float(hand.uniform(0, 1)), shrinks=float(hand.uniform(0, 1)),
            out=float(hand.uniform(-50, 50)), scatter=float(hand.uniform(0, 50)), drag=float(hand.uniform(0, 200)),
            gravity=tuple(hand.uniform(-100, 100, 3).tolist()), swirl=float(hand.uniform(0, 50)),
            swirl_size=float(hand.uniform(0.001, 10)), bounce=float(hand.uniform(0, 1)), ground="level",
            substeps=int(hand.integers(1, 8)), again=bool(hand.integers(2)),
        )  # fmt: skip
        (frame,) = _frames(_flakes(shed, "frame / 10 - x", 4), 14)
        assert np.isfinite(frame["sheet"].points).all()
