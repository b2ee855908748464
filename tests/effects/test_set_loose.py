"""Set loose: laws of mechanics in closed form, what is held to the bit, heaps, glue, controls and shapes in the way, copies."""

import math

import numpy as np
import pytest
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform
from estompe.effects.fracture import Fracture
from estompe.effects.push import Push
from estompe.effects.separate import Separate
from estompe.effects.set_loose import AT_REST, LOAD, SINCE, SetLoose
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.geometry import Domain
from estompe.kernels.compile import use_threads
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.sphere import Sphere

pytestmark = pytest.mark.thorough
G = 9.81


def _says(name, formula):
    return Falloff(name, name.title(), (Layer(f"{name}-layer", source("formula", formula)),), AS_IT_IS, SAME)


def _one(loose, place, size=(0.2, 0.2, 0.2), effects=(), shapes=(), controls=(), falloffs=(), routes=()):
    """One box that is let go as a whole."""
    slots = (*effects, EffectSlot("loose", loose, routes, acts_on="pieces"))
    body = Shape("body", "Body", Box(*size, 1), place, slots)
    return Project(Scene((body, *shapes), controls, falloffs, first=1, last=240))


def _frames(project, *numbers, past=None):
    past = past or Past(project, Memo())
    frames = [evaluate(project, number, past.memo, None, past) for number in numbers]
    assert not [problem.text for frame in frames for problem in frame.problems]
    return frames


def _middles(frames, name="body"):
    return np.array([frame[name].points.mean(axis=0, dtype=np.float64) for frame in frames])


def _wall(loose, cells=24, routes=(), falloffs=(), place=None, more=(), controls=()):
    slots = (
        EffectSlot("cut", Fracture(cells)),
        EffectSlot("loose", loose, routes, acts_on="pieces"),
    )
    wall = Shape("wall", "Wall", Box(1.0, 1.0, 0.4, 3), place or Transform((0.0, 0.5, 0.0)), slots)
    return Project(Scene((wall, *more), controls, falloffs, first=1, last=240))


def test_a_fall_is_the_parabola_of_its_time_and_air_slows_it_towards_the_wind():
    heights = _middles(_frames(_one(SetLoose(ground="none"), Transform((0.0, 50.0, 0.0))), 1, 13, 25))[:, 1]
    # Small steps of 1/16 frame add half a step to the time of a fall.
    for fallen, seconds in zip(heights[0] - heights[1:], (0.5, 1.0), strict=True):
        assert fallen == pytest.approx(0.5 * G * seconds * (seconds + 1 / 384), rel=1e-4)
    blown = SetLoose(ground="none", gravity=(0.0, 0.0, 0.0), wind=(2.0, 0.0, 0.0), drag=1.5)
    way = _middles(_frames(_one(blown, Transform()), 1, 49))[:, 0]
    assert way[1] - way[0] == pytest.approx(2.0 * (2.0 - (1.0 - math.exp(-3.0)) / 1.5), rel=0.01)


@pytest.mark.parametrize("bounce", [0.3, 0.6, 0.9])
def test_a_box_that_is_dropped_a_metre_comes_back_by_the_square_of_its_bounce(bounce):
    project = _one(SetLoose(ground="level", bounce=bounce), Transform((0.0, 1.1, 0.0)))
    heights = _middles(_frames(project, *range(12, 44)))[:, 1] - 0.1
    assert heights.max() == pytest.approx(bounce**2, rel=0.05)


@pytest.mark.parametrize("friction", [0.2, 0.5])
def test_a_block_slides_down_a_slope_as_coulomb_says(friction):
    slope = math.radians(30.0)
    up = np.array([-math.sin(slope), math.cos(slope), 0.0])
    board = Control("board", "Board", "plane", Transform(rotation=(0.0, 0.0, 30.0)))
    loose = SetLoose(ground="none", controls=("board",), friction=friction, bounce=0.0, sleeps=False)
    place = Transform(tuple((up * 0.05).tolist()), (0.0, 0.0, 30.0))
    middles = _middles(_frames(_one(loose, place, (0.4, 0.1, 0.4), controls=(board,)), 1, 49))
    wanted = G * (math.sin(slope) - friction * math.cos(slope)) * 2.0
    assert np.linalg.norm(middles[1] - middles[0]) == pytest.approx(wanted, rel=0.02)


def test_a_block_stays_on_a_slope_that_is_less_steep_than_its_friction():
    slope = math.radians(20.0)
    board = Control("board", "Board", "plane", Transform(rotation=(0.0, 0.0, 20.0)))
    loose = SetLoose(ground="none", controls=("board",), friction=0.5, bounce=0.0, sleeps=False)
    place = Transform((-0.05 * math.sin(slope), 0.05 * math.cos(slope), 0.0), (0.0, 0.0, 20.0))
    middles = _middles(_frames(_one(loose, place, (0.4, 0.1, 0.4), controls=(board,)), 1, 121))
    assert np.linalg.norm(middles[1] - middles[0]) < 5e-4


def test_pieces_leave_with_the_speed_of_the_animation_the_push_and_away_from_a_control():
    moving = Transform((Keyed((Key(1, 0.0, "linear"), Key(25, 2.0, "linear"))), 10.0, 0.0))
    loose = SetLoose(
        ground="none", gravity=(0.0, 0.0, 0.0), push=(0.0, 0.0, 1.0), control="centre", away=3.0, tumble=90.0
    )
    centre = Control("centre", "Centre", transform=Transform((0.0, -5.0, 0.0)), visible=False)
    released = (_says("released", "frame - 12.5"),)
    project = _one(loose, moving, controls=(centre,), falloffs=released, routes=(Route("released"),))
    middles = _middles(_frames(project, 13, 14, 38))
    speed = middles[2] - middles[1]
    away = middles[0] - (0.0, -5.0, 0.0)
    assert np.allclose(speed, (2.0, 0.0, 1.0) + 3.0 * away / np.linalg.norm(away), atol=0.05)


def test_what_is_held_keeps_every_bit_and_strength_decides_piece_by_piece():
    project = _wall(SetLoose(), routes=(Route("right"),), falloffs=(_says("right", "x > 0"),))
    bare = project.with_scene(edits.put(project.scene, ("shapes", "wall", "effects", "loose", "enabled"), False))
    (frame,), before = _frames(project, 30), evaluate(bare, 30)["wall"]
    after = frame["wall"]
    since = after.attribute(Domain.PIECE, SINCE)
    held = since[after.pieces.of] == 0.0
    assert 0 < held.sum() < len(held)
    assert np.array_equal(after.points[held], before.points[held])
    assert np.array_equal(after.normals[held], before.normals[held])
    assert since[since > 0] == pytest.approx(29 / 24, abs=1e-4)


def test_a_heap_lies_on_the_ground_sleeps_and_then_moves_no_bit():
    project = _wall(
        SetLoose(ground="level", push=(0.0, 0.0, 1.0), friction=0.4), place=Transform((0.0, 0.9, 0.0), (20.0, 0.0, 0.0))
    )
    past = Past(project, Memo())
    late, later = (frame["wall"] for frame in _frames(project, 200, 230, past=past))
    assert late.points[:, 1].min() > -0.005
    asleep = late.attribute(Domain.PIECE, AT_REST) == 1.0
    assert asleep.mean() > 0.9
    still = asleep[late.pieces.of]
    assert np.array_equal(late.points[still], later.points[still])


def test_pieces_keep_their_shapes_and_their_distances_within():
    project = _wall(SetLoose(tumble=200.0))
    first, last = (frame["wall"] for frame in _frames(project, 1, 60))
    of = first.pieces.of
    for piece in range(0, len(first.pieces), 5):
        own = of == piece
        before, after = (points - points.mean(axis=0) for points in (first.points[own], last.points[own]))
        assert np.allclose(before @ before.T, after @ after.T, atol=1e-5)


def test_the_same_bits_in_any_order_and_on_any_number_of_threads():
    project = _wall(SetLoose(holds=3.0), 40, (Route("front"),), (_says("front", "frame / 20 - x"),))
    one = [frame["wall"].points for frame in _frames(project, 20, 40)]
    other = [frame["wall"].points for frame in _frames(project, 40, 20)][::-1]
    use_threads(1)
    try:
        third = [frame["wall"].points for frame in _frames(project, 20, 40)]
    finally:
        use_threads(0)
    assert all(np.array_equal(a, b) and np.array_equal(a, c) for a, b, c in zip(one, other, third, strict=True))


def test_glue_carries_the_weight_that_hangs_on_it_and_says_how_much():
    """A row of boxes out of a wall: its root carries the weight, and half the length times the weight as bending."""
    project = _beam(4, SetLoose(ground="none", holds=1e5, sleeps=False))
    (frame,) = _frames(project, 73)
    loads = frame["beam"].attribute(Domain.PIECE, LOAD)
    side, count = 0.2, 3
    # In metres of itself: the pull over the area, and the bending over a fifth of its power one and a half.
    wanted = count * side + (count * side) * (count * side / 2) / (0.2 * side)
    assert loads[0] == pytest.approx(wanted, rel=0.03)
    assert loads[0] == loads[1] > loads[2] > loads[3]


def _beam(count, loose):
    held = _says("held", "id > 0.5")
    slots = (EffectSlot("loose", loose, (Route("held"),), acts_on="pieces"),)
    source_of_copies = CopiesOnGrid(form="brick", columns=count, rows=1, size=(0.2 * (count - 1), 0.0, 0.0))
    shapes = (
        Shape("brick", "Brick", Box(0.2, 0.2, 0.2, 1), visible=False),
        Shape("beam", "Beam", source_of_copies, Transform((0.0, 2.0, 0.0)), slots),
    )
    return Project(Scene(shapes, (), (held,), first=1, last=240))


def test_glue_that_holds_little_breaks_and_glue_that_holds_much_hangs():
    lows = []
    for holds in (0.05, 1e4):
        (frame,) = _frames(_beam(4, SetLoose(ground="level", height=-50.0, holds=holds)), 30)
        lows.append(float(frame["beam"].positions[:, 1].min()))
    assert lows[0] < 0.0
    assert lows[1] > 1.9


def test_a_falloff_that_weakens_the_glue_lets_pieces_fall_there():
    weak = _says("weak", "x > 0")
    project = _wall(
        SetLoose(ground="level", height=-20.0, holds=1e4, weak="weak"),
        falloffs=(weak, _says("most", "y < 0.75")),
        routes=(Route("most"),),
    )
    after = _frames(project, 30)[0]["wall"]
    low = np.full(len(after.pieces), np.inf)
    np.minimum.at(low, after.pieces.of, after.points[:, 1])
    x = np.array([after.rest[after.pieces.of == piece, 0].mean() for piece in range(len(after.pieces))])
    held = after.attribute(Domain.PIECE, SINCE) == 0.0
    assert low[(x > 0.25) & ~held].max() < -1.0
    assert low[(x < -0.35) & ~held].min() > -0.5


def test_controls_and_shapes_hold_up_what_falls_on_them():
    for kind in ("sphere", "box", "cylinder"):
        control = Control("stand", "Stand", kind, Transform((0.0, 0.0, 0.0), scale=(0.5, 0.5, 0.5)))
        loose = SetLoose(ground="none", controls=("stand",), friction=2.0, rolling=20.0)
        middle = _middles(_frames(_one(loose, Transform((0.0, 0.7, 0.0)), controls=(control,)), 40))[0]
        assert middle[1] == pytest.approx(0.6, abs=0.01), kind
    stand = Shape("stand", "Stand", Sphere(0.5))
    loose = SetLoose(ground="none", shapes=("stand",), friction=2.0, rolling=20.0)
    middle = _middles(_frames(_one(loose, Transform((0.0, 0.7, 0.0)), shapes=(stand,)), 40))[0]
    assert middle[1] == pytest.approx(0.6, abs=0.01)


def test_a_shape_that_moves_takes_along_what_lies_on_it():
    moving = Transform((Keyed((Key(1, 0.0, "linear"), Key(49, 0.5, "linear"))), -0.1, 0.0))
    tray = Shape("tray", "Tray", Box(2.0, 0.2, 2.0, 1), moving)
    loose = SetLoose(ground="none", shapes=("tray",), friction=1.0)
    middles = _middles(_frames(_one(loose, Transform((0.0, 0.1, 0.0)), shapes=(tray,)), 1, 49))
    assert middles[1] - middles[0] == pytest.approx((0.5, 0.0, 0.0), abs=0.02)


def test_pieces_that_are_called_back_are_home_to_the_bit_and_can_be_let_go_again():
    falloffs = (_says("let", "1"), _says("back", "(frame - 20) / 10 * (frame < 35)"))
    project = _wall(SetLoose(back="back", push=(0.0, 0.0, 2.0)), routes=(Route("let"),), falloffs=falloffs)
    bare = project.with_scene(edits.put(project.scene, ("shapes", "wall", "effects", "loose", "enabled"), False))
    home = evaluate(bare, 30)["wall"].points
    away, half, back, again = (frame["wall"].points for frame in _frames(project, 20, 25, 32, 45))
    far = [float(np.abs(points - home).max()) for points in (away, half, back, again)]
    assert far[0] > 0.3
    assert 0.0 < far[1] < far[0]
    assert far[2] == 0.0
    assert far[3] > 0.1


def test_faces_and_copies_fall_as_well():
    faces = EffectSlot("faces", Separate())
    project = _one(SetLoose(ground="level"), Transform((0.0, 0.5, 0.0)), effects=(faces,))
    (frame,) = _frames(project, 60)
    assert frame["body"].points[:, 1].max() < 0.25
    assert frame["body"].points[:, 1].min() > -0.01
    (frame,) = _frames(_beam(3, SetLoose(ground="level")), 80)
    beam = frame["beam"]
    assert beam.component == "copies"
    assert not beam.is_real
    assert beam.positions[1:, 1] == pytest.approx(0.1, abs=0.01)
    assert np.allclose(np.linalg.norm(beam.axes.reshape(-1, 3, 3), axis=1), 1.0, atol=1e-5)


def test_settings_that_follow_formulas_and_wild_ones_stay_finite():
    hand = np.random.default_rng(3)
    for _ in range(6):
        loose = SetLoose(
            gravity=tuple(hand.uniform(-50, 50, 3).tolist()), push=tuple(hand.uniform(-20, 20, 3).tolist()),
            tumble=float(hand.uniform(0, 3000)), friction=float(hand.uniform(0, 3)), bounce=float(hand.uniform(0, 1)),
            holds=float(hand.choice([0.0, 0.5, 50.0])), drag=float(hand.uniform(0, 20)), rolling=float(hand.uniform(0, 50)),
            substeps=int(hand.integers(1, 6)), rounds=int(hand.integers(1, 6)), wind=(1.0, 0.0, 0.0),
        )  # fmt: skip
        (frame,) = _frames(_wall(loose, 12), 20)
        assert np.isfinite(frame["wall"].points).all()


def test_what_cannot_be_met_is_said_in_words():
    project = _one(SetLoose(controls=("gone",)), Transform())
    past = Past(project, Memo())
    problems = evaluate(project, 3, past.memo, None, past).problems
    assert any("not in the scene" in problem.text for problem in problems)


def test_the_ground_lies_under_the_shape_at_first_and_stays_there():
    project = _one(
        SetLoose(),
        Transform((0.0, Keyed((Key(1, 3.1, "linear"), Key(9, 3.9, "linear"))), 0.0)),
        falloffs=(_says("late", "frame > 9"),),
        routes=(Route("late"),),
    )
    (frame,) = _frames(project, 60)
    assert frame["body"].points[:, 1].min() == pytest.approx(3.0, abs=0.003)


def test_falloffs_of_later_effects_measure_what_has_happened_to_pieces():
    def told(what):
        return Falloff(what.replace(" ", "-"), what, (Layer(f"l-{what[:2]}", source("loose", what)),), AS_IT_IS, SAME)

    falloffs = (_says("front", "frame / 10 - x"), *(told(what) for what in (SINCE, AT_REST, LOAD)))
    project = _wall(SetLoose(holds=2.0), routes=(Route("front"),), falloffs=falloffs)
    for item in falloffs[1:]:
        slot = EffectSlot(f"push-{item.id}", Push(0.0001), (Route(item.id),), acts_on="pieces")
        project = project.with_scene(edits.insert(project.scene, ("shapes", "wall", "effects"), slot))
    (frame,) = _frames(project, 60)
    mesh = frame["wall"]
    for item in falloffs[1:]:
        wanted = np.clip(mesh.attribute(Domain.PIECE, item.name), 0.0, 1.0)
        assert np.allclose(frame.strength("wall", item.id), wanted, atol=1e-6), item.name
    before = edits.reorder(project.scene, ("shapes", "wall", "effects", "push-at-rest"), 0)
    frame = evaluate(project.with_scene(before), 3)
    assert not frame.problems
    assert not frame.strength("wall", "at-rest").any()
