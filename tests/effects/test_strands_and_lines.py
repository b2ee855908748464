"""Effects on strands, which hold their roots and keep their length, and lines of ink: against closed forms."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Scene, Shape, Transform
from estompe.effects.outline import LINES, Outline
from estompe.effects.press_down import PressDown
from estompe.effects.push_away import PushAway
from estompe.effects.sway import Sway
from estompe.evaluation import evaluate
from estompe.render import Look, Renderer, Viewpoint
from estompe.render.picture import items_of
from estompe.setups.adding import add_effect
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_surface import StrandsFrom


def meadow(*slots: EffectSlot, drawn: str = "lines", at=(0.0, 0.2, 0.0)) -> Scene:
    grass = StrandsFrom(surface="ground", roots=160, length=0.5, lines=1, points=9, drawn=drawn, amplitude=0.0)
    shapes = (Shape("ground", "Ground", Grid()), Shape("grass", "Grass", grass, effects=slots))
    return Scene(shapes, (Control("ball", "Ball", transform=Transform(at)),))


def strands_of(scene: Scene, frame: int = 7):
    found = evaluate(Project(scene), frame)
    assert found.problems == ()
    geometry = found["grass"]
    lines = geometry.topology.lines
    return geometry, geometry.points[lines.points].reshape(len(lines.offsets) - 1, -1, 3)


def lengths(strands):
    return np.linalg.norm(np.diff(strands, axis=1), axis=2).sum(axis=1)


@pytest.mark.parametrize("effect", [
    Sway((0.15, 0.0, 0.1), rooted="strand"), PushAway("ball", 0.3), PressDown("ball", 0.3),
])  # fmt: skip
@pytest.mark.parametrize("drawn", ["lines", "ribbons"])
def test_roots_stay_and_strands_keep_their_length(effect, drawn):
    _, before = strands_of(meadow(drawn=drawn))
    _, after = strands_of(meadow(EffectSlot("it", effect), drawn=drawn))
    assert np.abs(after - before).max() > 0.05
    assert np.allclose(after[:, 0], before[:, 0], atol=1e-6)
    assert np.allclose(lengths(after), lengths(before), rtol=2e-5)


def test_what_is_pressed_down_is_out_of_the_ball_and_leans_by_the_least_angle():
    radius = 0.3
    centre = np.array([0.0, 0.2, 0.0])
    _, before = strands_of(meadow())
    _, after = strands_of(meadow(EffectSlot("it", PressDown("ball", radius))))
    outside = np.linalg.norm(before[:, 0] - centre, axis=1) > radius + 1e-3
    apart = np.linalg.norm(after - centre, axis=2).min(axis=1)
    assert apart[outside].min() > radius - 1e-4
    moved = np.abs(after - before).max(axis=(1, 2)) > 1e-6
    assert moved.any()
    was_inside = np.linalg.norm(before - centre, axis=2).min(axis=1) < radius
    assert np.array_equal(moved, was_inside)
    # A straight blade just touches the ball: it could not stand more upright.
    assert np.allclose(apart[moved & outside], radius, atol=0.01)


def test_a_shape_that_is_one_piece_leans_as_a_whole_from_its_lowest_point():
    post = Shape("post", "Post", Box(0.1, 1.0, 0.1, 8), Transform((0.0, 0.5, 0.0)))
    lamp = Control("ball", "Ball", transform=Transform((0.25, 0.8, 0.0)))
    scene = Scene((post,), (lamp,))
    before = evaluate(Project(scene), 1)["post"].points
    scene = edits.put(scene, ("shapes", "post", "effects"), (EffectSlot("it", PressDown("ball", 0.4)),))
    after = evaluate(Project(scene), 1)["post"].points
    lowest = int(np.argmin(before[:, 1]))
    assert np.allclose(after[lowest], before[lowest], atol=1e-6)
    apart = np.linalg.norm(before[::7, None] - before[None, ::11], axis=2)
    assert np.allclose(np.linalg.norm(after[::7, None] - after[None, ::11], axis=2), apart, atol=1e-5)
    assert np.linalg.norm(after - (0.25, 0.8, 0.0), axis=1).min() == pytest.approx(0.4, abs=0.01)


def test_new_effects_on_strands_act_on_their_points_with_roots_held():
    scene, name = add_effect(meadow(), "grass", "sway", None)
    slot = edits.get(scene, ("shapes", "grass", "effects", name))
    assert slot.acts_on == "points"
    assert slot.effect.rooted == "strand"
    scene, name = add_effect(meadow(), "grass", "push-away", None)
    assert edits.get(scene, ("shapes", "grass", "effects", name)).acts_on == "points"


@pytest.mark.parametrize("away", [3.0, 6.0])
def test_an_outline_is_as_many_pixels_wide_at_any_distance(away):
    camera = Camera("Shot", (0.0, 0.0, away), (0.0, 0.0, 0.0), 30.0)
    scene = Scene(
        (Shape("ball", "Ball", Sphere(0.5, 64), effects=(EffectSlot("ink", Outline(pixels=20.0)),)),), camera=camera
    )
    frame = evaluate(Project(scene), 1)
    geometry = frame["ball"]
    bare = evaluate(Project(edits.put(scene, ("shapes", "ball", "effects"), ())), 1)["ball"].points
    count = len(bare)
    grown = np.linalg.norm(geometry.points[count:], axis=1)
    depth = away - bare[:, 2]
    assert np.allclose(grown - 0.5, 20.0 * 2.0 * np.tan(np.radians(15.0)) / LINES * depth, atol=1e-4)
    renderer = Renderer()
    try:
        picture = renderer.draw(items_of(frame), Viewpoint.of_camera(camera), Look(occlusion=False), (LINES, LINES))
    finally:
        renderer.release()
    dark = picture[LINES // 2, :, :3].max(axis=1) < 60
    first = np.flatnonzero(dark)[0]
    wide = np.flatnonzero(~dark[first:])[0]
    assert wide == pytest.approx(20, abs=3)
