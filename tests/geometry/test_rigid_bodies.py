"""Hulls with their mass against closed forms, and touching against a linear program that knows nothing of axes."""

import numpy as np
import pytest
from scipy.optimize import linprog
from scipy.spatial import ConvexHull

from estompe.geometry.rigid import rotations
from estompe.geometry.rigid.bodies import Poses, bodies_at, no_neighbours
from estompe.geometry.rigid.hulls import joined, solids_of
from estompe.kernels.rigid.arrays import Form, Reach, Touches
from estompe.kernels.rigid.touching import touch


def _box(x, y, z):
    return np.stack(np.meshgrid([-0.5, 0.5], [-0.5, 0.5], [-0.5, 0.5], indexing="ij"), -1).reshape(-1, 3) * (x, y, z)


def _cloud(hand, count=14):
    return hand.normal(size=(count, 3)) * hand.uniform(0.3, 1.0, 3)


def _turns(hand, count):
    q = hand.normal(size=(count, 4))
    return q / np.linalg.norm(q, axis=1, keepdims=True)


def test_a_box_has_its_volume_its_centre_its_inertia_and_flat_faces():
    solid = solids_of([_box(1.0, 2.0, 3.0) + (5.0, 0.0, -1.0)])
    assert solid.volume[0] == pytest.approx(6.0)
    assert solid.centre[0] == pytest.approx((5.0, 0.0, -1.0))
    wanted = 6.0 / 12.0 * np.diag([4.0 + 9.0, 1.0 + 9.0, 1.0 + 4.0])
    assert np.allclose(solid.inertia[0], wanted, atol=1e-9)
    hulls = solid.hulls
    assert (len(hulls.points), len(hulls.planes), len(hulls.ends)) == (8, 6, 12)
    assert hulls.radius[0] == pytest.approx(np.sqrt(14.0) / 2.0)
    assert sorted(np.diff(hulls.loop_starts)) == [4] * 6


def test_every_hull_is_closed_faces_look_out_and_many_are_as_one_by_one():
    hand = np.random.default_rng(4)
    clouds = [_cloud(hand, int(count)) for count in hand.integers(4, 40, 30)]
    solids = solids_of(clouds)
    hulls = solids.hulls
    counts = [np.diff(starts) for starts in (hulls.point_starts, hulls.edge_starts, hulls.face_starts)]
    assert (counts[0] - counts[1] + counts[2] == 2).all()  # Euler
    for number, cloud in enumerate(clouds):
        assert solids.volume[number] == pytest.approx(ConvexHull(cloud).volume)
        corners = hulls.points[hulls.point_starts[number] : hulls.point_starts[number + 1]]
        planes = hulls.planes[hulls.face_starts[number] : hulls.face_starts[number + 1]]
        assert (corners @ planes[:, :3].T - planes[:, 3]).max() < 1e-9
    apart = joined([solids_of([cloud]).hulls for cloud in clouds])
    assert all(np.allclose(one, other) for one, other in zip(apart, hulls, strict=True))


def test_what_is_flat_or_a_line_gets_a_little_thickness():
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    for cloud, size in ((square, 1.0), (square[:2], 1.0), (square[:3], np.sqrt(0.5))):
        solid = solids_of([cloud])
        assert 0.0 < solid.volume[0] < 0.08
        assert np.linalg.eigvalsh(solid.inertia[0]).min() > 0.0
        assert solid.hulls.radius[0] < 0.8 * size + 0.2


def test_quaternions_and_matrices_are_the_same_rotations_and_a_fit_finds_them():
    hand = np.random.default_rng(2)
    turns = _turns(hand, 50)
    matrices = rotations.matrices(turns)
    assert np.allclose(matrices @ matrices.transpose(0, 2, 1), np.eye(3), atol=1e-12)
    back = rotations.quaternions(matrices)
    assert np.allclose(np.abs(np.einsum("ij,ij->i", back, turns)), 1.0)
    points = hand.normal(size=(50 * 9, 3))
    of = np.repeat(np.arange(50, dtype=np.int32), 9)
    offsets = points - np.repeat(points.reshape(50, 9, 3).mean(axis=1), 9, axis=0)
    targets = np.einsum("nij,nj->ni", matrices[of], offsets)
    assert np.allclose(rotations.fitted(offsets, targets, of, 50), matrices, atol=1e-9)
    spin = rotations.spin_between(turns[:1], rotations.product(rotations.quaternions(_about_z(0.3)), turns[:1]), 0.5)
    assert spin[0] == pytest.approx((0.0, 0.0, 0.6))


def _about_z(angle):
    return np.array([[[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]]])


def _gaps(clouds, poses, reach):
    """Touches of the first body with the second, for each pair of clouds."""
    solids = solids_of(clouds)
    count = len(clouds)
    bodies = bodies_at(poses, np.ones(count))
    near = Reach(np.full(count, int(Form.HULL)), np.arange(count), solids.hulls.radius, reach, 0.0)
    pairs = np.arange(count, dtype=np.int32).reshape(-1, 2)
    touches = Touches.for_pairs(len(pairs))
    touch(pairs, solids.hulls, bodies, near, no_neighbours(), touches)
    return solids, touches


def test_boxes_over_each_other_touch_at_four_corners_with_the_gap_between_them():
    poses = Poses(np.array([[0.0, 0.0, 0.0], [0.1, 0.98, 0.05]]), np.tile((1.0, 0.0, 0.0, 0.0), (2, 1)))
    _, touches = _gaps([_box(1, 1, 1), _box(1, 1, 1)], poses, 0.1)
    assert touches.counts[0] == 4
    assert touches.normals[0] == pytest.approx((0.0, 1.0, 0.0))
    assert touches.gaps[0] == pytest.approx(-0.02)
    assert touches.places[0, :, 0].min() == pytest.approx(-0.4)
    assert touches.places[0, :, 0].max() == pytest.approx(0.5)


def test_random_hulls_overlap_exactly_where_a_linear_program_finds_a_common_point():
    hand = np.random.default_rng(7)
    count = 160
    clouds = [_cloud(hand) for _ in range(2 * count)]
    centred = [cloud - solids_of([cloud]).centre[0] for cloud in clouds]
    position = np.zeros((2 * count, 3))
    position[1::2] = hand.normal(size=(count, 3)) * 1.1
    turns = _turns(hand, 2 * count)
    _, touches = _gaps(clouds, Poses(position, turns), 0.0)
    matrices = rotations.matrices(turns)
    placed = [cloud @ turn.T + at for cloud, turn, at in zip(centred, matrices, position, strict=True)]
    overlapping = 0
    for pair in range(count):
        one, other = placed[2 * pair], placed[2 * pair + 1]
        meets = _share_a_point(one, other)
        overlapping += meets
        used = touches.gaps[pair, : touches.counts[pair]]
        if meets != bool(len(used) and used.min() < 0.0):
            # Only where they just touch may the two differ.
            assert _share_a_point(one, other + 1e-6 * position[2 * pair + 1]) != _share_a_point(
                one, other - 1e-6 * position[2 * pair + 1]
            )
    assert 0.2 < overlapping / count < 0.9


def _share_a_point(one, other):
    """Whether two convex hulls meet: shares of the corners of both that add up to the same place."""
    equal = np.vstack(
        [
            np.hstack([one.T, -other.T]),
            np.hstack([np.ones(len(one)), np.zeros(len(other))]),
            np.hstack([np.zeros(len(one)), np.ones(len(other))]),
        ]
    )
    wanted = np.array([0.0, 0.0, 0.0, 1.0, 1.0])
    return linprog(np.zeros(equal.shape[1]), A_eq=equal, b_eq=wanted, method="highs").status == 0
