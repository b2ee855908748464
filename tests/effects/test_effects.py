"""Effects against closed forms, and what every effect must do."""

import numpy as np
import pytest
from tests.scenes import one_push

from estompe.document import edits
from estompe.document.kinds import EffectSettings, Eye, Placed, kinds
from estompe.document.project import Project
from estompe.document.scene import Ball, Effect, Placement, Scene, Shape
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.evaluate import evaluate
from estompe.geometry import Geometry, Topology, primitives
from estompe.geometry.placement import placement_matrix
from estompe.setups.adding import add_control, add_effect, add_shape


class _At:
    """A moment as effects see it."""

    clock = 0.0
    shape_color = (0.8, 0.7, 0.6)
    shape_matrix = placement_matrix((1, 2, 3), (0, 90, 0), (2, 2, 2))

    def control(self, _):
        return Placed("ball", placement_matrix((0.3, 0, 0), (0, 0, 0), (1, 1, 1)), np.zeros((0, 3), np.float32))

    def camera(self):
        return Eye(np.array([0.0, 0, 5]), np.zeros(3), 32.0)


def _with_defaults(tag):
    """The effect as it is added to a scene with a control."""
    scene, _ = add_control(Scene())
    scene, shape = add_shape(scene, "Ball", Ball())
    scene, made = add_effect(scene, shape, tag, None)
    return edits.get(scene, ("shapes", shape, "effects", made, "settings"))


def _empty() -> Geometry:
    return Geometry(np.zeros((0, 3), np.float32), Topology(np.zeros(0, np.int32), np.zeros(1, np.int32), 0))


@pytest.mark.parametrize("tag", kinds(EffectSettings))
def test_zero_strength_is_the_identity_and_nothing_is_allowed(tag):
    effect = _with_defaults(tag)
    ball = primitives.ball(0.5, 4)
    after = effect.apply(ball, np.zeros(len(ball.points), np.float32), _At())
    assert np.array_equal(after.points, ball.points)
    assert after.topology is ball.topology
    assert len(effect.apply(_empty(), np.zeros(0, np.float32), _At()).points) == 0


def test_a_pushed_ball_is_a_larger_ball():
    ball = primitives.ball(0.5, 40)
    pushed = Push(0.25).apply(ball, np.ones(len(ball.points), np.float32), _At())
    assert np.abs(np.linalg.norm(pushed.points, axis=1) - 0.75).max() < 2e-4


def test_push_follows_strength_and_sinks_with_a_negative_amount():
    ball = primitives.ball(0.5, 40)
    strength = np.linspace(0, 1, len(ball.points), dtype=np.float32)
    pushed = Push(-0.2).apply(ball, strength, _At())
    assert np.abs(np.linalg.norm(pushed.points, axis=1) - (0.5 - 0.2 * strength)).max() < 2e-4


@pytest.mark.parametrize(("axes", "expected"), [("world", (0.1, 0.2, 0.3)), ("local", (0.6, 0.4, -0.2))])
def test_move_in_world_and_own_axes(axes, expected):
    ball = primitives.ball(0.5, 4)
    strength = np.full(len(ball.points), 0.5, np.float32)
    moved = Move((0.1, 0.2, 0.3), axes).apply(ball, strength, _At())
    assert np.allclose(moved.points - ball.points, 0.5 * np.array(expected), atol=1e-6)


def test_a_shape_without_routes_is_affected_in_full():
    shape = Shape("s", "S", Ball(0.5, 20), Placement((1.0, 0.0, 0.0)), (Effect("e", Push(0.5)),))
    points = evaluate(Project(Scene(shapes=(shape,))), 1)["S"].points
    assert np.abs(np.linalg.norm(points - [1, 0, 0], axis=1) - 1.0).max() < 1e-3


def test_push_near_a_control_by_hand():
    """Linear ramp, one control: every point's way can be written down."""
    frame = evaluate(one_push(amount=0.1, full=0.2, gone=1.0), 1)
    ball = primitives.ball(0.5, 8)
    distance = np.linalg.norm(ball.points - np.array([0.6, 0, 0]), axis=1)
    strength = np.clip((1.0 - distance) / 0.8, 0, 1)
    assert np.allclose(frame["Ball"].points, ball.points + ball.normals * (0.1 * strength)[:, None], atol=1e-5)


def test_switched_off_effects_do_nothing():
    project = one_push()
    off = edits.put(project.scene, ("shapes", "ball", "effects", "push", "enabled"), False)
    assert np.array_equal(evaluate(project.with_scene(off), 1)["Ball"].points, primitives.ball(0.5, 8).points)
