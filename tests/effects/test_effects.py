"""Effects against closed forms, and what every effect must do."""

import numpy as np
import pytest
from tests.scenes import one_push

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Scene, Shape, Transform
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.evaluation import evaluate
from estompe.geometry import DOMAINS, Domain
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import transform_matrix
from estompe.kinds.context import CannotEvaluateError, Eye, Placed
from estompe.kinds.kind import Effect
from estompe.kinds.registry import kinds
from estompe.kinds.remembering import RememberingEffect, Seen, Since
from estompe.setups.adding import add_control, add_effect, add_shape
from estompe.shapes import primitives
from estompe.shapes.sphere import Sphere


class _At:
    """A moment as effects see it."""

    clock = 0.0
    domain = Domain.POINT
    shape_color = (0.8, 0.7, 0.6)
    shape_matrix = transform_matrix((1, 2, 3), (0, 90, 0), (2, 2, 2))
    rough, detail = 1.0, None

    def go_on(self):
        return

    def control(self, _):
        return Placed("sphere", transform_matrix((0.3, 0, 0), (0, 0, 0), (1, 1, 1)), np.zeros((0, 3), np.float32))

    def camera(self):
        return Eye(np.array([0.0, 0, 5]), np.zeros(3), 32.0)


def _with_defaults(tag):
    """The effect as it is added to a scene with a control."""
    scene, _ = add_control(Scene())
    scene, shape = add_shape(scene, "Sphere", Sphere())
    scene, made = add_effect(scene, shape, tag, None)
    return edits.get(scene, ("shapes", shape, "effects", made, "effect"))


def _applied(effect, geometry, strength, at):
    """The geometry after the effect; after one step of it where it remembers."""
    if effect.asks_places:
        at.places = effect.places(geometry, at)
    if not isinstance(effect, RememberingEffect):
        return effect.apply(geometry, strength, at)
    now = Seen(geometry, Elements(geometry, domain=at.domain), strength, at)
    since = Since(1 / 24, 1.0, 2.0, lambda: now, lambda: None)
    return effect.shown(effect.step(effect.start(now, 1.0), now, since), now)


@pytest.mark.parametrize("tag", kinds(Effect))
def test_zero_strength_is_the_identity(tag):
    effect = _with_defaults(tag)
    sphere = primitives.sphere(0.5, 4)
    at = _At()
    at.domain = DOMAINS[effect.able()[0]]
    strength = np.zeros(sphere.count(at.domain), np.float32)
    if effect.at_start:
        with pytest.raises(CannotEvaluateError, match="nowhere"):
            effect.apply(sphere, strength, at)
        return
    after = _applied(effect, sphere, strength, at)
    assert np.array_equal(after.points, sphere.points)
    assert after.topology is sphere.topology


def test_a_pushed_sphere_is_a_larger_sphere():
    sphere = primitives.sphere(0.5, 40)
    pushed = Push(0.25).apply(sphere, np.ones(len(sphere.points), np.float32), _At())
    assert np.abs(np.linalg.norm(pushed.points, axis=1) - 0.75).max() < 2e-4


def test_push_follows_strength_and_sinks_with_a_negative_amount():
    sphere = primitives.sphere(0.5, 40)
    strength = np.linspace(0, 1, len(sphere.points), dtype=np.float32)
    pushed = Push(-0.2).apply(sphere, strength, _At())
    assert np.abs(np.linalg.norm(pushed.points, axis=1) - (0.5 - 0.2 * strength)).max() < 2e-4


@pytest.mark.parametrize(("axes", "expected"), [("world", (0.1, 0.2, 0.3)), ("local", (0.6, 0.4, -0.2))])
def test_move_in_world_and_own_axes(axes, expected):
    sphere = primitives.sphere(0.5, 4)
    strength = np.full(len(sphere.points), 0.5, np.float32)
    moved = Move((0.1, 0.2, 0.3), axes).apply(sphere, strength, _At())
    assert np.allclose(moved.points - sphere.points, 0.5 * np.array(expected), atol=1e-6)


def test_a_shape_without_routes_is_affected_in_full():
    shape = Shape("s", "S", Sphere(0.5, 20), Transform((1.0, 0.0, 0.0)), (EffectSlot("e", Push(0.5)),))
    points = evaluate(Project(Scene(shapes=(shape,))), 1)["S"].points
    assert np.abs(np.linalg.norm(points - [1, 0, 0], axis=1) - 1.0).max() < 1e-3


def test_push_near_a_control_by_hand():
    """Linear ramp, one control: every point's way can be written down."""
    frame = evaluate(one_push(amount=0.1, full=0.2, gone=1.0), 1)
    sphere = primitives.sphere(0.5, 8)
    distance = np.linalg.norm(sphere.points - np.array([0.6, 0, 0]), axis=1)
    strength = np.clip((1.0 - distance) / 0.8, 0, 1)
    assert np.allclose(frame["Sphere"].points, sphere.points + sphere.normals * (0.1 * strength)[:, None], atol=1e-5)


def test_switched_off_effects_do_nothing():
    project = one_push()
    off = edits.put(project.scene, ("shapes", "sphere", "effects", "push", "enabled"), False)
    assert np.array_equal(evaluate(project.with_scene(off), 1)["Sphere"].points, primitives.sphere(0.5, 8).points)
