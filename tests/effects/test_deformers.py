"""Deformers against closed forms, and the properties an artist counts on."""

import numpy as np
import pytest
from msgspec import structs

from estompe.document import edits
from estompe.document.project import Project, asset_name
from estompe.document.scene import (
    Camera,
    Control,
    EffectSlot,
    Falloff,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.attract import Attract
from estompe.effects.bend import Bend
from estompe.effects.color import Color
from estompe.effects.displace import Displace
from estompe.effects.hide import Hide
from estompe.effects.joints import Joint, Joints, straight_chain
from estompe.effects.open_out import OpenOut
from estompe.effects.poses import Pose, Poses
from estompe.effects.press import CONTACT, Press
from estompe.effects.push_away import PushAway
from estompe.effects.ridges import Ridges
from estompe.effects.rotate import Rotate
from estompe.effects.scale import Scale
from estompe.effects.shell import ONE_SIDED, Shell
from estompe.effects.smooth import Smooth
from estompe.effects.subdivide import Subdivide
from estompe.effects.sway import Sway
from estompe.effects.taper import Taper
from estompe.effects.twist import Twist
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.height import Height
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.geometry import Domain, GeometryError
from estompe.geometry.transforms import rotation_matrix, transform_matrix
from estompe.geometry.volumes.volume import volume
from estompe.kernels.transform import transformed
from estompe.kinds.context import CannotEvaluateError, Eye, Placed
from estompe.kinds.numbers import Formula
from estompe.setups.adding import add_control, add_shape
from estompe.shapes import primitives
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere
from estompe.shapes.tube import Tube

PLACED = transform_matrix((1.0, 2.0, 3.0), (30.0, 40.0, 50.0), (1.5, 1.5, 1.5))


class _At:
    """A moment: an unplaced shape, one control, and whatever else a test needs."""

    clock = 0.0
    domain = Domain.POINT
    shape_color = (0.0, 1.0, 0.5)

    def __init__(self, matrix=None, control=None, shapes=None, arrays=None, eye=(0.0, 0.0, 5.0)):
        self.shape_matrix = np.eye(4)[:3] if matrix is None else matrix
        self._control = control or Placed("sphere", np.eye(4)[:3], np.zeros((0, 3), np.float32))
        self._shapes, self._arrays, self._eye = shapes or {}, arrays or {}, eye

    def control(self, _):
        return self._control

    def shape(self, name):
        return self._shapes[name]

    def array(self, name):
        return self._arrays[name]

    def camera(self):
        return Eye(np.array(self._eye), np.zeros(3), 32.0)


def _ones(mesh):
    return np.ones(len(mesh.points), np.float32)


def _placed(mesh, matrix):
    return mesh.moved(transformed(mesh.points, matrix))


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_turn_is_a_rotation_about_the_shapes_own_axis_and_pivot(axis):
    mesh = _placed(primitives.box((1, 1, 1), 3), PLACED)
    turned = Rotate(35.0, axis, (0.2, 0.1, -0.3)).apply(mesh, _ones(mesh), _At(PLACED))
    own = rotation_matrix(tuple(35.0 if a == axis else 0.0 for a in "xyz"))
    pivot = np.array([0.2, 0.1, -0.3])
    expected = transformed(((mesh.rest - pivot) @ own.T + pivot).astype(np.float32), PLACED)
    assert np.abs(turned.points - expected).max() < 1e-5


def test_size_about_a_pivot_in_own_axes():
    mesh = _placed(primitives.box((1, 1, 1), 3), PLACED)
    sized = Scale((2.0, 0.5, 1.0), (0.5, 0.0, 0.0)).apply(mesh, _ones(mesh), _At(PLACED))
    pivot = np.array([0.5, 0, 0])
    expected = transformed(((mesh.rest - pivot) * [2, 0.5, 1] + pivot).astype(np.float32), PLACED)
    assert np.abs(sized.points - expected).max() < 1e-5


def test_twist_turns_the_top_in_full_and_the_bottom_not():
    mesh = primitives.tube(0.3, 2.0, 24, 40)
    twisted = Twist(90.0).apply(mesh, _ones(mesh), _At())
    after, before = (np.arctan2(-points[:, 2], points[:, 0]) for points in (twisted.points, mesh.points))
    angle = np.degrees(after - before)
    assert np.abs((angle - 45 * mesh.points[:, 1] + 180) % 360 - 180).max() < 1e-2


def test_taper_scales_linearly_along_the_axis():
    mesh = primitives.tube(0.3, 2.0, 24, 40)
    tapered = Taper(0.25).apply(mesh, _ones(mesh), _At())
    radius = np.hypot(tapered.points[:, 0], tapered.points[:, 2])
    assert np.abs(radius - 0.3 * (1 - 0.75 * mesh.points[:, 1] / 2)).max() < 1e-6


def test_a_tube_bent_by_a_half_turn_ends_upside_down():
    mesh = primitives.tube(0.1, np.pi, 24, 60)
    bent = Bend(180.0).apply(mesh, _ones(mesh), _At())
    top = mesh.points[:, 1] > np.pi - 1e-4
    assert np.abs(bent.points[top][:, 1]).max() < 1e-5
    assert bent.points[top].mean(axis=0) == pytest.approx([2.0, 0.0, 0.0], abs=1e-4)


def test_attract_is_alike_inside_and_outside_and_weakens_as_the_exponent_says():
    mesh = primitives.grid(4.0, 4.0, 8, 8)
    pulled = Attract("c", 0.1, 2.0, 1.0, "length").apply(mesh, _ones(mesh), _At())
    away = np.linalg.norm(mesh.points, axis=1)
    step = np.linalg.norm(mesh.points - pulled.points, axis=1)
    assert np.abs(step - np.minimum(0.1 / np.maximum(away, 1e-3) ** 2, away)).max() < 1e-5


def test_attract_by_a_share_goes_that_share_of_the_way_as_far_as_the_strength_says():
    mesh = primitives.grid(4.0, 4.0, 8, 8)
    strength = np.linspace(0.0, 1.0, len(mesh.points), dtype=np.float32)
    pulled = Attract("c", share=0.4).apply(mesh, strength, _At())
    assert np.allclose(pulled.points, mesh.points * (1.0 - 0.4 * strength[:, None]), atol=1e-5)
    assert np.allclose(Attract("c", share=1.0).apply(mesh, _ones(mesh), _At()).points, 0.0, atol=1e-5)


def test_push_away_is_equally_strong_at_every_distance():
    mesh = primitives.grid(4.0, 4.0, 9, 9)
    control = Placed("sphere", transform_matrix((0.01, 0.0, 0.02), (0, 0, 0), (3, 3, 3)), np.zeros((0, 3), np.float32))
    pushed = PushAway("c", 0.25).apply(mesh, _ones(mesh), _At(control=control))
    step = pushed.points - mesh.points
    assert np.allclose(np.linalg.norm(step, axis=1), 0.25, atol=1e-5)
    assert np.allclose(step[:, 1], 0)
    outwards = mesh.points - [0.01, 0, 0.02]
    assert (np.einsum("ij,ij->i", step, outwards) > 0).all()


def test_sway_rooted_at_the_base_does_not_move_it_and_neighbours_differ():
    mesh = primitives.tube(0.02, 1.0, 6, 20)
    at = _At()
    at.clock = 0.7
    swayed = Sway((0.2, 0.0, 0.1)).apply(mesh, _ones(mesh), at)
    base = mesh.rest[:, 1] == 0
    assert np.array_equal(swayed.points[base], mesh.points[base])
    assert np.abs(swayed.points - mesh.points)[~base].max() > 0.02
    assert np.array_equal(swayed.points[:, 1], mesh.points[:, 1])
    beside = mesh.moved(mesh.points + np.array([1.7, 0, 0], np.float32))
    other = Sway((0.2, 0.0, 0.1)).apply(beside, _ones(mesh), at)
    assert np.abs((other.points - beside.points) - (swayed.points - mesh.points)).max() > 0.02


def test_sway_is_centred_on_zero_in_time():
    mesh, at, total = primitives.grid(3.0, 3.0, 20, 20), _At(), 0.0
    for moment in np.linspace(0, 40, 80):
        at.clock = float(moment)
        total += (Sway((0.2, 0, 0), rooted="nowhere").apply(mesh, _ones(mesh), at).points - mesh.points)[:, 0].mean()
    assert abs(total / 80) < 0.01


def test_what_is_pushed_away_can_be_held_still_by_the_same_falloff():
    effects = (EffectSlot("s", Sway((0.2, 0, 0), rooted="nowhere"), (Route("near", one_minus=True),)),)
    scene = Scene(
        (Shape("s", "S", Grid(4.0, 1.0, 40, 4), effects=effects),),
        (Control("c", "C"),),
        (Falloff("near", "Near", (Layer("l", Distance("c")),), Range(0.5, 1.0)),),
    )
    frame = evaluate(Project(scene), 30)
    held = np.linalg.norm(frame["S"].rest, axis=1) < 0.5
    assert np.array_equal(frame["S"].points[held], frame["S"].rest[held])
    assert np.abs(frame["S"].points - frame["S"].rest).max() > 0.01


# Press


def _sphere_above(height):
    return _At(
        control=Placed("sphere", transform_matrix((0, height, 0), (0, 0, 0), (1, 1, 1)), np.zeros((0, 3), np.float32))
    )


def test_press_does_nothing_before_contact():
    box = primitives.box((2, 1, 2), 20)
    pressed = Press("c", 0.4).apply(box, _ones(box), _sphere_above(0.95))
    assert pressed.points is box.points
    assert not pressed.attribute(*CONTACT).any()
    assert Press.summary(pressed) == "no contact on this frame"


def test_pressed_points_lie_on_the_body_and_a_ring_swells():
    sheet = primitives.grid(3.0, 3.0, 90, 90)
    pressed = Press("c", 0.4, width=0.5, swell=0.5).apply(sheet, _ones(sheet), _sphere_above(0.3))
    inside = pressed.attribute(*CONTACT)
    exact = np.linalg.norm(sheet.points - [0, 0.3, 0], axis=1) < 0.4
    assert np.array_equal(inside, exact)
    assert np.abs(np.linalg.norm(pressed.points[inside] - [0, 0.3, 0], axis=1) - 0.4).max() < 1e-5
    around = np.linalg.norm(sheet.points - [0, 0.3, 0], axis=1) - 0.4
    ring = (around > 0) & (around < 0.5)
    assert pressed.points[ring][:, 1].max() == pytest.approx(0.5 * 0.1, rel=0.02)  # swell times the deepest
    beyond = around > 0.5 + 1e-6
    assert np.array_equal(pressed.points[beyond], sheet.points[beyond])


def test_the_swelling_rises_with_the_depth():
    sheet = primitives.grid(3.0, 3.0, 90, 90)
    heights = [
        Press("c", 0.4).apply(sheet, _ones(sheet), _sphere_above(y)).points[:, 1].max() for y in (0.38, 0.33, 0.25, 0.1)
    ]
    assert heights == sorted(heights)
    assert heights[0] > 0


@pytest.mark.parametrize("depth", [0.02, 0.1, 0.25])
def test_kept_volume_is_within_a_thousandth(depth):
    box = primitives.box((2, 1, 2), 40)
    pressed = Press("c", 0.4, keep_volume=True, width=0.5).apply(box, _ones(box), _sphere_above(0.9 - depth))
    before = volume(box.points, box.topology.triangles)
    assert volume(pressed.points, pressed.topology.triangles) == pytest.approx(before, rel=1e-4)
    assert float(pressed.attribute(Domain.WHOLE, "volume before")[0]) == pytest.approx(before, rel=1e-6)
    assert "enclosed volume 4.0000 → 4.000" in Press.summary(pressed)


def test_keeping_the_volume_of_an_open_mesh_says_where_it_is_open():
    sheet = primitives.grid(1.0, 1.0, 5, 5)
    with pytest.raises(GeometryError, match="needs a closed mesh: 20 open edges"):
        Press("c", 0.4, keep_volume=True).apply(sheet, _ones(sheet), _sphere_above(0.2))


@pytest.mark.parametrize("form", ["sphere", "box", "plane", "cylinder", "path"])
def test_every_form_presses_points_onto_its_own_surface(form):
    points = np.random.default_rng(2).uniform(-0.5, 0.5, (600, 3)).astype(np.float32)
    mesh = primitives.grid(1, 1, 24, 23).moved(points)
    line = np.array([[-0.2, 0, 0], [0.2, 0, 0]], np.float32)
    matrix = transform_matrix((0.1, 0, 0), (0, 30, 0), (1.2, 1.2, 1.2))
    pressed = Press("c", 0.25).apply(mesh, _ones(mesh), _At(control=Placed(form, matrix, line)))
    from estompe.falloffs.distance import to_control

    inside = pressed.attribute(*CONTACT)
    onto = to_control(np.ascontiguousarray(pressed.points[inside]), Placed(form, matrix, line))
    assert inside.any()
    assert np.abs(onto - 0.25).max() < 1e-5


def test_a_shape_can_press_too():
    sheet = primitives.grid(3.0, 3.0, 60, 60)
    sphere = primitives.sphere(0.4, 24).moved(primitives.sphere(0.4, 24).points + np.array([0, 0.3, 0], np.float32))
    by_shape = Press(shape="b").apply(sheet, _ones(sheet), _At(shapes={"b": sphere}))
    by_control = Press("c", 0.4).apply(sheet, _ones(sheet), _sphere_above(0.3))
    assert np.abs(by_shape.points - by_control.points).max() < 0.01


def test_the_profile_of_the_swelling_can_be_drawn():
    sheet = primitives.grid(3.0, 3.0, 90, 90)
    flat = Press("c", 0.4, width=0.5, swell=1.0, profile=(RampPoint(0.0, 0.5, "linear"),))
    pressed = flat.apply(sheet, _ones(sheet), _sphere_above(0.3))
    around = np.linalg.norm(sheet.points - [0, 0.3, 0], axis=1) - 0.4
    assert np.allclose(pressed.points[(around > 0) & (around < 0.499)][:, 1], 0.05, atol=1e-5)


# Poses, open out, joints


def test_poses_add_up():
    sphere = primitives.sphere(0.5, 6)
    rng = np.random.default_rng(1)
    variants = [(sphere.rest + rng.normal(0, 0.1, sphere.rest.shape)).astype(np.float32) for _ in range(2)]
    arrays = {asset_name(v): v for v in variants}
    poses = [Pose(f"p-{i}", "P", asset_name(variants[i]), amount) for i, amount in enumerate((0.3, -0.7))]
    matrix = transform_matrix((1, 0, 0), (0, 90, 0), (2, 2, 2))
    mesh = _placed(sphere, matrix)
    posed = Poses(tuple(poses)).apply(mesh, _ones(sphere), _At(matrix, arrays=arrays))
    own = sphere.rest + 0.3 * (variants[0] - sphere.rest) - 0.7 * (variants[1] - sphere.rest)
    assert np.abs(posed.points - transformed(own.astype(np.float32), matrix)).max() < 1e-5


def test_a_pose_of_another_mesh_is_named():
    sphere, other = primitives.sphere(0.5, 6), primitives.sphere(0.5, 3).points
    poses = Poses((Pose("p", "Bow", asset_name(other), 1.0),))
    with pytest.raises(CannotEvaluateError, match="the pose “Bow” has 56 points and the shape 218"):
        poses.apply(sphere, _ones(sphere), _At(arrays={asset_name(other): other}))


@pytest.mark.parametrize("soft", [0.01, 0.35, 1.0])
@pytest.mark.parametrize("along", ["profile", "u", "v"])
def test_open_out_runs_from_nothing_to_the_original_whatever_the_other_settings_are(along, soft):
    mesh = primitives.lathe(np.array([[0.2, 0.0], [0.4, 0.5], [0.1, 1.0]]), 24, 30)
    for pulled in (0.0, 0.2):
        closed = OpenOut(0.0, along, soft, pulled).apply(mesh, _ones(mesh), _At())
        assert closed.topology.faces == 0
        opened = OpenOut(1.0, along, soft, pulled).apply(mesh, _ones(mesh), _At())
        assert np.array_equal(opened.points, mesh.points)
        assert opened.topology.faces == mesh.topology.faces
    faces = [OpenOut(x, along, soft, 0.1).apply(mesh, _ones(mesh), _At()).topology.faces for x in np.linspace(0, 1, 12)]
    assert faces == sorted(faces)


def test_open_out_leaves_what_is_behind_its_front_where_it_was():
    mesh = primitives.lathe(np.array([[0.2, 0.0], [0.2, 1.0]]), 24, 40)
    half = OpenOut(0.5, "profile", 0.2, 0.1).apply(mesh, _ones(mesh), _At())
    order = mesh.attribute(Domain.POINT, "order")
    assert np.array_equal(half.points[order < 0.4], mesh.points[order < 0.4])
    front = (order > 0.42) & (order < 0.58)
    assert (np.hypot(half.points[front][:, 0], half.points[front][:, 2]) < 0.2).all()


def test_joints_carry_rigid_parts_as_their_matrices_say():
    mesh = primitives.tube(0.1, 3.0, 16, 60)
    joints = straight_chain((0, 0, 0), (0, 3, 0), 4)
    turned = edits.put(Joints(joints, 0.1), ("joints", "joint-2", "rotation"), (0.0, 0.0, 40.0))
    turned = edits.put(turned, ("joints", "joint-3", "rotation"), (30.0, 0.0, 0.0))
    posed = turned.apply(mesh, _ones(mesh), _At())
    y = mesh.points[:, 1]
    assert np.abs(posed.points[y < 0.8] - mesh.points[y < 0.8]).max() < 1e-5
    first = rotation_matrix((0, 0, 40))
    middle = (y > 1.2) & (y < 1.8)
    assert np.abs(posed.points[middle] - ((mesh.points[middle] - [0, 1, 0]) @ first.T + [0, 1, 0])).max() < 1e-5
    own = (mesh.points[y > 2.2] - [0, 2, 0]) @ rotation_matrix((30, 0, 0)).T + [0, 2, 0]
    assert np.abs(posed.points[y > 2.2] - ((own - [0, 1, 0]) @ first.T + [0, 1, 0])).max() < 1e-5


def test_a_sharply_bent_joint_keeps_its_width():
    mesh = primitives.tube(0.2, 2.0, 32, 60)
    bent = edits.put(
        Joints(straight_chain((0, 0, 0), (0, 2, 0), 3), 0.4), ("joints", "joint-2", "rotation"), (0.0, 150.0, 0.0)
    )
    posed = bent.apply(mesh, _ones(mesh), _At())
    assert np.abs(np.hypot(posed.points[:, 0], posed.points[:, 2]) - 0.2).max() < 1e-3  # a twist must not wring it thin


def test_a_chain_of_one_joint_moves_nothing_and_says_so():
    mesh = primitives.tube(0.2, 2.0, 8, 8)
    with pytest.raises(CannotEvaluateError, match="fewer than two joints"):
        Joints((Joint("j", "J", (0.0, 0.0, 0.0)),)).apply(mesh, _ones(mesh), _At())


def test_a_joint_can_follow_a_formula():
    joints = edits.put(Joints(), ("joints", "joint-2", "rotation", 0), Formula("frame * 2"))
    frame = evaluate(Project(Scene((Shape("s", "S", Tube(0.1, 1.0), effects=(EffectSlot("j", joints),)),))), 20)
    resolved = edits.get(frame.scene, ("shapes", "s", "effects", "j", "effect", "joints", "joint-2", "rotation", 0))
    assert resolved == 40
    assert np.abs(frame["S"].points - frame["S"].rest).max() > 0.1


# Surfaces


def test_displace_counts_from_its_middle_and_in_steps():
    sphere = primitives.sphere(0.5, 40)
    half = np.full(len(sphere.points), 0.75, np.float32)
    at = _At()
    at.neutral = np.full(len(half), 0.25, np.float32)
    raised = Displace(0.4, 0.25).apply(sphere, half, at)
    assert np.abs(np.linalg.norm(raised.points, axis=1) - 0.7).max() < 1e-3
    assert np.abs(Displace(0.4, 0.25, 8).apply(sphere, half, at).points - raised.points).max() < 2e-3


def test_a_masked_displacement_has_no_cliff_where_the_mask_dies_out():
    scene, shape = add_shape(Scene(), "Ball", Sphere(0.5, 60))
    scene, control = add_control(scene, "plane")
    rough = Falloff("n", "Noise", (Layer("l", Noise()),), Range(0.1, -0.1))
    mask = Falloff("m", "Mask", (Layer("l2", Sweep(control, "x")),), Range(-0.2, 0.2))
    scene = structs.replace(scene, falloffs=(rough, mask))
    slot = EffectSlot("e", Displace(0.1, 0.5), (Route("n"), Route("m")))
    ball = evaluate(Project(edits.put(scene, ("shapes", shape, "effects"), (slot,))), 1)["Ball"]
    moved = np.linalg.norm(ball.points - ball.rest, axis=1)
    across, edges = ball.rest[:, 0], ball.topology.edges
    assert moved[across > 0.201].max() == 0.0
    assert moved[across < 0.0].max() > 0.02
    at_border = np.abs(across[edges].mean(axis=1) - 0.2) < 0.03
    assert np.abs(moved[edges[:, 0]] - moved[edges[:, 1]])[at_border].max() < 0.002


def test_ridges_have_their_number_and_die_out_at_both_ends():
    mesh = primitives.lathe(np.array([[0.5, 0.0], [0.5, 2.0]]), 400, 40)
    ridged = Ridges(8, 0.1, fade=0.2).apply(mesh, _ones(mesh), _At())
    order = mesh.attribute(Domain.POINT, "order")
    radius = np.hypot(ridged.points[:, 0], ridged.points[:, 2])
    assert np.abs(radius[(order == 0) | (order == 1)] - 0.5).max() < 1e-6
    middle = radius[np.abs(order - 0.5) < 1e-6]
    assert np.argmax(np.abs(np.fft.rfft(middle - middle.mean()))) == 8
    assert middle.min() == pytest.approx(0.4, abs=2e-3)
    assert middle.max() == pytest.approx(0.5, abs=2e-3)


def test_smoothing_takes_noise_away_and_keeps_the_volume():
    sphere = primitives.sphere(1.0, 24)
    rough = sphere.moved(
        (sphere.points * np.random.default_rng(1).normal(1, 0.01, (len(sphere.points), 1))).astype(np.float32)
    )
    smooth = Smooth(20).apply(rough, _ones(rough), _At())
    spread = [np.linalg.norm(mesh.points, axis=1).std() for mesh in (rough, smooth)]
    assert spread[1] < spread[0] / 2.5
    before, after = (volume(mesh.points, mesh.topology.triangles) for mesh in (rough, smooth))
    assert after == pytest.approx(before, rel=1e-4)


def test_smoothing_stays_where_there_is_no_strength():
    sphere = primitives.sphere(1.0, 12)
    strength = (sphere.points[:, 1] > 0).astype(np.float32)
    smooth = Smooth(5, keep_volume=False).apply(sphere, strength, _At())
    assert np.array_equal(smooth.points[strength == 0], sphere.points[strength == 0])


def test_subdivide_splits_where_there_is_strength():
    sheet = primitives.grid(2.0, 2.0, 10, 10)
    strength = (sheet.points[:, 0] > 0.5).astype(np.float32)
    finer = Subdivide(2, rounded=False).apply(sheet, strength, _At())
    sizes = np.diff(finer.topology.offsets)
    assert finer.topology.faces > sheet.topology.faces
    first = finer.points[finer.topology.corners[finer.topology.offsets[:-1]]][:, 0]
    assert (first < 0.15).sum() == 60  # six columns of ten that nothing touched
    assert (first > 0.5).sum() > 20 * 12
    assert sizes.max() > 4
    assert Subdivide(0).apply(sheet, strength, _At()) is sheet


def test_a_shell_makes_an_open_mesh_thick_and_an_outline_surrounds_it():
    sphere = primitives.sphere(1.0, 20)
    thick = Shell(0.1).apply(sphere, _ones(sphere), _At())
    inner = np.linalg.norm(thick.points[len(sphere.points) :], axis=1)
    assert np.allclose(inner, 0.9, atol=1e-3)
    assert volume(thick.points, thick.topology.triangles) == pytest.approx(
        volume(sphere.points, sphere.topology.triangles) * (1 - 0.9**3), rel=2e-3
    )
    outline = Shell(0.1, "outline").apply(sphere, _ones(sphere), _At())
    assert np.allclose(np.linalg.norm(outline.points[len(sphere.points) :], axis=1), 1.1, atol=1e-3)
    assert outline.attribute(*ONE_SIDED).tolist() == [0.0] * len(sphere.points) + [1.0] * len(sphere.points)
    assert outline.attribute(Domain.POINT, "color")[-1].max() < 0.1


def test_an_outline_keeps_its_width_in_the_picture():
    sphere = primitives.sphere(1.0, 20)
    for away in (5.0, 20.0):
        outline = Shell(0.1, "outline", keeps_weight=True).apply(sphere, _ones(sphere), _At(eye=(0, 0, away)))
        gap = np.linalg.norm(outline.points[len(sphere.points) :] - sphere.points, axis=1)
        distance = np.linalg.norm(sphere.points - [0, 0, away], axis=1)
        assert np.allclose(gap / distance, 0.01, atol=1e-5)


def test_colour_mixes_by_strength():
    sphere = primitives.sphere(1.0, 4)
    strength = np.linspace(0, 1, len(sphere.points), dtype=np.float32)
    colored = Color((1.0, 0.0, 0.5)).apply(sphere, strength, _At())
    expected = np.stack([strength, 1 - strength, np.full_like(strength, 0.5)], axis=1)
    assert np.allclose(colored.attribute(Domain.POINT, "color"), expected, atol=1e-6)


def test_hide_takes_faces_over_the_threshold_away():
    sheet = primitives.grid(1.0, 1.0, 10, 1)
    strength = (sheet.points[:, 0] + 0.5).astype(np.float32)
    assert Hide(0.5).apply(sheet, strength, _At()).topology.faces == 5
    assert Hide(1.0).apply(sheet, strength, _At()).topology.faces == 10


def test_effects_chain_across_changes_of_the_mesh():
    """Measured after each change, so that values never lack points."""
    effects = (
        EffectSlot("a", Subdivide(1)),
        EffectSlot("b", Hide(0.5), (Route("up"),)),
        EffectSlot("c", Shell(0.05)),
        EffectSlot("d", Rotate(20.0), (Route("up"),)),
    )
    scene = Scene(
        (Shape("s", "S", Lathe(around=12, along=12), effects=effects), Shape("b", "B", Box())),
        falloffs=(Falloff("up", "Up", (Layer("l", Height()),), Range(1.0, 0.0)),),
        camera=Camera(),
    )
    frame = evaluate(Project(scene), 1)
    assert not frame.problems
    points = frame.points_after("s")
    assert points["a"] == points["b"] > 500
    assert points["c"] == points["d"] == 2 * points["b"]
    assert np.isfinite(frame["S"].points).all()
    assert len(frame.strength("S", "up")) == points["d"]  # on the points that are seen


def test_scaling_a_shape_scales_what_happens_in_its_own_space():
    for effect in (Twist(50.0), Bend(40.0), Taper(0.3)):
        small, large = (
            evaluate(
                Project(
                    Scene((Shape("s", "S", Sphere(0.5, 6), Transform(scale=(k, k, k)), (EffectSlot("e", effect),)),))
                ),
                1,
            )["S"]
            for k in (1.0, 3.0)
        )
        assert np.abs(large.points - 3 * small.points).max() < 1e-5
