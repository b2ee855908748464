"""Distances, ramps, displacement and normals against NumPy, on few points and on many."""

import numba
import numpy as np
import pytest

from estompe.kernels import PARALLEL_FROM
from estompe.kernels.displace import displace_along, displace_by
from estompe.kernels.distance import Form, distance
from estompe.kernels.normals import face_normals, point_normals
from estompe.kernels.ramp import Joining, remap, remap_joined
from estompe.kernels.topology import corners_of_points, edges, triangle_corners
from estompe.kinds.curve import cubics

SIZES = (0, 1, 700, PARALLEL_FROM + 300)


def _points(count: int) -> np.ndarray:
    made = np.random.default_rng(count).normal(size=(count, 3)).astype(np.float32)
    made.setflags(write=False)
    return made


_REFERENCES = {
    Form.SPHERE: lambda p: np.linalg.norm(p, axis=1),
    Form.BOX: lambda p: np.abs(p).max(axis=1),
    Form.PLANE: lambda p: np.abs(p[:, 1]),
    Form.CYLINDER: lambda p: np.maximum(np.hypot(p[:, 0], p[:, 2]), np.abs(p[:, 1])),
    Form.AXIS_X: lambda p: p[:, 0],
    Form.AXIS_Y: lambda p: p[:, 1],
    Form.AXIS_Z: lambda p: p[:, 2],
}


@pytest.mark.parametrize("form", list(Form))
@pytest.mark.parametrize("count", SIZES[1:])
def test_distance(form, count):
    matrix = np.random.default_rng(1).normal(size=(3, 4)).astype(np.float32)
    points = _points(count)
    own = points.astype(np.float64) @ matrix[:, :3].T.astype(np.float64) + matrix[:, 3]
    assert np.abs(distance(points, matrix, form) - _REFERENCES[form](own)).max() < 1e-5


def _table(at, values, shapes):
    return np.array(at, np.float32), np.array(cubics(at, values, shapes), np.float32)


@pytest.mark.parametrize("count", SIZES)
def test_remap_of_two_eased_points_is_the_smoothstep(count):
    values = np.linspace(-1, 3, count, dtype=np.float32)
    knots, table = _table([0.0, 1.0], [1.0, 0.0], ["smooth", "smooth"])
    t = np.clip((values.astype(np.float64) - 0.5) / 1.5, 0, 1)
    expected = 1 - (3 * t**2 - 2 * t**3)
    assert np.abs(remap(values, 0.5, 2.0, knots, table, True) - expected).max(initial=0.0) < 1e-6


def test_remap_runs_backwards_when_gone_is_below_full():
    knots, table = _table([0.0, 1.0], [1.0, 0.0], ["linear", "linear"])
    values = np.array([0.0, 0.25, 1.0, 2.0], np.float32)
    assert np.allclose(remap(values, 1.0, 0.0, knots, table, True), [0.0, 0.25, 1.0, 1.0])


def test_remap_with_no_width_is_a_step():
    knots, table = _table([0.0, 1.0], [1.0, 0.0], ["linear", "linear"])
    values = np.array([0.49, 0.5, 0.51], np.float32)
    assert np.array_equal(remap(values, 0.5, 0.5, knots, table, True), [1.0, 1.0, 0.0])


_JOINED = {
    Joining.MULTIPLY: np.multiply,
    Joining.ADD: np.add,
    Joining.SUBTRACT: np.subtract,
    Joining.LARGER: np.maximum,
    Joining.SMALLER: np.minimum,
}


@pytest.mark.parametrize("joining", list(Joining))
@pytest.mark.parametrize("count", SIZES)
def test_joining_and_remapping_at_once_gives_the_bits_of_one_after_the_other(joining, count):
    above, values = np.random.default_rng(3).normal(size=(2, count)).astype(np.float32)
    knots, table = _table([0, 0.4, 1], [1, 0.2, 0], ["smooth", "linear", "smooth"])
    after = remap(_JOINED[joining](above, values), 0.3, 1.7, knots, table, True)
    assert np.array_equal(remap_joined(above, values, joining, 0.3, 1.7, knots, table, True), after)


def test_remap_clamps_unless_told_otherwise():
    knots, table = _table([0.0, 1.0], [2.0, -1.0], ["linear", "linear"])
    values = np.array([0.0, 1.0], np.float32)
    assert np.array_equal(remap(values, 0.0, 1.0, knots, table, True), [1.0, 0.0])
    assert np.allclose(remap(values, 0.0, 1.0, knots, table, False), [2.0, -1.0])


def test_remap_steps_and_lines_in_one_ramp():
    knots, table = _table([0.0, 0.4, 0.8], [0.0, 1.0, 0.5], ["step", "linear", "step"])
    values = np.array([0.0, 0.39, 0.4, 0.6, 0.8, 1.0], np.float32)
    assert np.allclose(remap(values, 0.0, 1.0, knots, table, True), [0.0, 0.0, 1.0, 0.75, 0.5, 0.5], atol=1e-6)


@pytest.mark.parametrize("count", SIZES)
def test_displace(count):
    points, directions = _points(count), _points(count)[::-1].copy()
    strength = np.random.default_rng(2).random(count, np.float32)
    along = displace_along(points, directions, strength, 0.3)
    assert np.allclose(along, points + directions * (strength * 0.3)[:, None], atol=1e-6)
    vector = np.array([0.1, -2.0, 3.0], np.float32)
    assert np.allclose(displace_by(points, strength, vector), points + strength[:, None] * vector, atol=1e-6)


def _mixed_mesh(rows: int):
    """A wavy sheet of quads, with some cut into triangles and pairs joined into hexagons, and its corners."""
    x, z = np.meshgrid(np.arange(rows, dtype=np.float32), np.arange(rows, dtype=np.float32))
    points = np.stack([x, np.sin(x * 0.7) * np.cos(z * 0.4), z], axis=-1).reshape(-1, 3)
    faces = []
    for r in range(rows - 1):
        for c in range(0, rows - 2, 2):
            a, b = r * rows + c, (r + 1) * rows + c
            if (r + c) % 3 == 0:
                faces.append([a, b, b + 1, b + 2, a + 2, a + 1])
            elif (r + c) % 3 == 1:
                faces += [[a, b, b + 1, a + 1], [a + 1, b + 1, b + 2, a + 2]]
            else:
                faces += [[a, b, b + 1], [a, b + 1, a + 1], [a + 1, b + 1, b + 2, a + 2]]
    return points.astype(np.float32), faces


def _normals_by_hand(points, faces):
    out = np.zeros((len(points), 3))
    for face in faces:
        corners = points[face].astype(np.float64)
        normal = np.cross(corners - corners[0], np.roll(corners, -1, axis=0) - corners[0]).sum(axis=0)
        out[face] += normal
    length = np.linalg.norm(out, axis=1, keepdims=True)
    return out / np.where(length > 0, length, 1)


@pytest.mark.parametrize("rows", [5, 81])
def test_normals_of_triangles_quads_and_hexagons(rows):
    points, faces = _mixed_mesh(rows)
    corners = np.concatenate(faces).astype(np.int32)
    offsets = np.concatenate([[0], np.cumsum([len(face) for face in faces])]).astype(np.int32)
    starts, members = corners_of_points(corners, len(points))
    owner = np.repeat(np.arange(len(faces)), np.diff(offsets)).astype(np.int32)
    ours = point_normals(face_normals(points, corners, offsets), starts, owner[members])
    assert np.abs(ours - _normals_by_hand(points, faces)).max() < 2e-5


def test_fans_and_edges():
    offsets = np.array([0, 3, 8], np.int32)
    corners = np.array([0, 1, 2, 2, 1, 3, 4, 5], np.int32)
    triangles, owner = triangle_corners(offsets)
    assert triangles.tolist() == [[0, 1, 2], [3, 4, 5], [3, 5, 6], [3, 6, 7]]
    assert owner.tolist() == [0, 1, 1, 1]
    pairs, uses = edges(corners, offsets, 6)
    assert {tuple(pair): int(count) for pair, count in zip(pairs, uses, strict=True)} == {
        (0, 1): 1, (1, 2): 2, (0, 2): 1, (1, 3): 1, (3, 4): 1, (4, 5): 1, (2, 5): 1,
    }  # fmt: skip


def test_results_do_not_depend_on_the_thread_count():
    points = _points(PARALLEL_FROM * 3)
    matrix = np.eye(4, dtype=np.float32)[:3]
    before = numba.get_num_threads()
    try:
        results = []
        for threads in (1, before):
            numba.set_num_threads(threads)
            results.append(distance(points, matrix, Form.SPHERE))
    finally:
        numba.set_num_threads(before)
    assert np.array_equal(*results)
