"""Loops over blocks against the same formulas written in NumPy with float64."""

import numpy as np
import pytest
from scipy.sparse import random_array

from estompe.geometry.transforms import inverse, transform_matrix
from estompe.kernels import blend, mixing, press, ridges, skin
from estompe.kernels.morton import COARSE, FINE, morton_order
from estompe.kernels.topology import face_means
from estompe.kernels.transform import transformed
from estompe.shapes import primitives

MATRIX = transform_matrix((0.3, -1.0, 2.0), (20.0, 70.0, -130.0), (1.5, 0.5, 2.0))


@pytest.fixture(scope="module")
def points():
    return np.random.default_rng(1).uniform(-2, 2, (5000, 3)).astype(np.float32)


@pytest.fixture(scope="module")
def strength():
    return np.random.default_rng(2).uniform(0, 1, 5000).astype(np.float32)


@pytest.mark.parametrize("count", [0, 1, 700, 5000])
def test_points_through_a_matrix(points, count):
    some = points[:count]
    exact = some.astype(np.float64) @ MATRIX[:, :3].T + MATRIX[:, 3]
    assert transformed(some, MATRIX).shape == (count, 3)
    assert np.abs(transformed(some, MATRIX) - exact).max(initial=0.0) < 2e-6


@pytest.mark.parametrize("bits", [COARSE, FINE])
def test_the_order_in_space_is_that_of_interleaved_bits(points, bits):
    low, high = points.min(axis=0), points.max(axis=0)
    last = np.float32(2**bits - 1)
    cells = ((points - low) * (last / (high - low))).astype(np.int64)
    codes = [int("".join(f"{z:0{bits}b}"[b] + f"{y:0{bits}b}"[b] + f"{x:0{bits}b}"[b] for b in range(bits)), 2)
             for x, y, z in cells]  # fmt: skip
    assert np.array_equal(morton_order(points, bits), np.argsort(codes, kind="stable"))


def _away(body, own):
    """The way out of each body, computed part by part."""
    if body is press.Body.SPHERE:
        return own
    parts = {
        press.Body.PLANE: [own * [0, 1, 0]],
        press.Body.CYLINDER: [own * [1, 0, 1], own * [0, 1, 0]],
        press.Body.BOX: [own * [1, 0, 0], own * [0, 1, 0], own * [0, 0, 1]],
    }[body]
    lengths = np.stack([np.linalg.norm(part, axis=1) for part in parts])
    return np.stack(parts)[np.argmax(lengths, axis=0), np.arange(len(own))]


@pytest.mark.parametrize("body", list(press.Body))
def test_points_brought_onto_a_body(points, body):
    depth, onto = press.touched(points, inverse(MATRIX), MATRIX, body, 0.7)
    into = inverse(MATRIX)
    own = points.astype(np.float64) @ into[:, :3].T + into[:, 3]
    out = _away(body, own)
    far = np.linalg.norm(out, axis=1)
    step = out / far[:, None] * (0.7 - far)[:, None] @ MATRIX[:, :3].T
    assert np.abs(onto - (points + step)).max() < 2e-5
    assert np.abs(np.abs(depth) - np.linalg.norm(step, axis=1)).max() < 2e-5
    assert (
        np.array_equal(depth > 0, far < np.float32(0.7)) or np.abs(far[(depth > 0) != (far < 0.7)] - 0.7).max() < 1e-5
    )


def test_pressing_moves_the_inside_and_swells_the_ring_only(points, strength):
    depth = np.linspace(-1, 1, len(points)).astype(np.float32)
    onto, normals = points + np.float32(1.0), points * np.float32(0.5)
    moved, along = press.pressed(points, normals, onto, depth, strength, strength, 0.4)
    inside = (depth > 0) & (strength > 0)
    assert np.array_equal(moved[~inside], points[~inside])
    assert np.abs(moved[inside] - (points + strength[:, None] * (onto - points))[inside]).max() < 1e-6
    ring = ~inside & (depth > -0.4)
    assert np.abs(along[ring] - (normals * strength[:, None] ** 2)[ring]).max() < 1e-6
    assert (along[~ring] == 0).all()


@pytest.mark.parametrize(
    ("count", "sharpness", "twist"), [(1, 1.0, 0.0), (7, 1.0, 0.9), (24, 0.4, -2.0), (200, 3.0, 0.1)]
)
def test_grooves_are_the_closed_form(points, strength, count, sharpness, twist):
    order = np.linspace(0, 1, len(points)).astype(np.float32)
    found = ridges.grooves(points, order, strength, count, twist, sharpness, 0.2)
    around = np.arctan2(points[:, 2].astype(np.float64), points[:, 0]) + twist * order
    wave = (0.5 - 0.5 * np.cos(count * around)) ** sharpness
    fraction = np.clip(np.minimum(order, 1 - order) / 0.2, 0, 1)
    exact = wave * fraction * fraction * (3 - 2 * fraction) * strength
    # A phase of so many turns is known to so many roundings, and a root is steep at nothing.
    off = 2e-6 * (10 + count)
    assert np.abs(found - exact).max() < off ** min(sharpness, 1.0)
    assert np.abs(found - exact)[wave > 0.05].max() < off


def test_grooves_on_the_axis_itself_are_finite():
    on_axis = np.zeros((4, 3), np.float32)
    order = np.full(4, 0.5, np.float32)
    assert (ridges.grooves(on_axis, order, np.ones(4, np.float32), 8, 0.0, 1.0, 0.0) == 0).all()


def test_colours_go_to_the_goal_and_stay_in_bounds(points, strength):
    colors = np.abs(points) % 1
    goal = np.array([0.2, 1.4, -0.3], np.float32)
    exact = np.clip(colors + strength[:, None] * (goal - colors), 0, 1)
    assert np.abs(blend.towards(colors, goal, strength) - exact).max() < 1e-6
    same = np.array([0.5, 0.6, 0.7], np.float32)
    exact = np.clip(same + strength[:, None] * (goal - same), 0, 1)
    assert np.abs(blend.towards(same, goal, strength) - exact).max() < 1e-6


def test_differences_add_up_and_are_turned(points, strength):
    others = [(points[::-1].copy(), 0.5), (points * np.float32(2.0), -0.25)]
    total = sum(amount * (place.astype(np.float64) - points) for place, amount in others)
    assert np.abs(blend.differences(points, others) - total).max() < 1e-6
    turned = MATRIX[:, :3].astype(np.float32)
    moved = blend.moved_by(points, total.astype(np.float32), turned, strength)
    assert np.abs(moved - (points + strength[:, None] * (total @ turned.T))).max() < 1e-5
    assert np.array_equal(blend.moved_by(points, points, turned, np.zeros_like(strength)), points)


def test_means_on_faces_of_any_size():
    values = np.array([1, 2, 3, 4, 10], np.float32)
    corners, offsets = np.array([0, 1, 2, 0, 1, 2, 3, 3, 4, 0, 1, 2], np.int32), np.array([0, 3, 7, 12], np.int32)
    assert np.allclose(face_means(values, corners, offsets), [2.0, 2.5, 4.0])


@pytest.mark.parametrize("columns", [1, 2, 3, 5])
def test_mixing_is_a_sparse_product(columns):
    rng = np.random.default_rng(3)
    matrix = random_array((4000, 1500), density=0.003, rng=rng, dtype=np.float32, format="csr")
    values = rng.uniform(-1, 1, (1500, columns)).astype(np.float32)
    mix = mixing.Mix(matrix.indptr.astype(np.int32), matrix.indices.astype(np.int32), matrix.data)
    assert np.abs(mixing.mixed(values, mix) - matrix.astype(np.float64) @ values).max() < 1e-5


def _moving(real, shifts, begins, ends):
    """Bones with a turn and a shift each, the dual part by the product of quaternions."""
    dual = []
    for (w, x, y, z), (sx, sy, sz) in zip(real, shifts, strict=True):
        product = (
            -sx * x - sy * y - sz * z,
            sx * w + sy * z - sz * y,
            sy * w + sz * x - sx * z,
            sz * w + sx * y - sy * x,
        )
        dual.append([part / 2 for part in product])
    return skin.Bones(*(np.array(part, np.float32) for part in (begins, ends, real, dual)))


ALIKE = [[0, 0, 0], [0, 0, 0]], [[0, 1, 0], [0, 1, 0]]


def test_bones_that_move_alike_move_like_their_matrix_from_whichever_side(points, strength):
    turn = transform_matrix((0, 0, 0), (0, 60, 0), (1, 1, 1))[:, :3]
    real = np.array([np.cos(np.radians(30)), 0, np.sin(np.radians(30)), 0])
    bones = _moving([real, -real], [(0.3, -0.2, 0.1)] * 2, *ALIKE)
    into = inverse(MATRIX)
    own = points.astype(np.float64) @ into[:, :3].T + into[:, 3]
    moved = (own @ turn.T + [0.3, -0.2, 0.1]) @ MATRIX[:, :3].T + MATRIX[:, 3]
    found = skin.skinned(points, points, bones, 0.5, into, MATRIX, strength)
    assert np.abs(found - (points + strength[:, None] * (moved - points))).max() < 2e-5
    still = skin.skinned(points, points, bones, 0.5, into, MATRIX, np.zeros_like(strength))
    assert np.array_equal(still, points)


def test_influence_is_that_of_distances_to_the_bones_at_rest(points):
    begins, ends = np.array([[0, -1, 0], [0, 0, 0.2]], np.float32), np.array([[0, 0, 0.2], [0.4, 1, 0]], np.float32)
    # One bone stays and one shifts by a unit: how far a point goes is the second one's fraction of it.
    bones = _moving([(1, 0, 0, 0)] * 2, [(0, 0, 0), (1, 0, 0)], begins, ends)
    same = np.eye(4)[:3]
    found = skin.skinned(np.zeros_like(points), points, bones, 0.5, same, same, np.ones(len(points), np.float32))
    distances = []
    for begin, end in zip(begins.astype(np.float64), ends.astype(np.float64), strict=True):
        fraction = np.clip((points - begin) @ (end - begin) / ((end - begin) @ (end - begin)), 0, 1)
        distances.append(np.linalg.norm(points - begin - fraction[:, None] * (end - begin), axis=1))
    t = np.maximum(1 - (np.stack(distances) - np.min(distances, axis=0)) / 0.5, 0)
    weights = t * t * (3 - 2 * t)
    assert np.abs(found[:, 0] - (weights / weights.sum(axis=0))[1]).max() < 1e-5
    assert np.abs(found[:, 1:]).max() < 1e-6


def test_results_do_not_depend_on_how_many_points_come_along():
    """Each point's result is its own, whatever block it falls into."""
    sphere = primitives.sphere(1.0, 30)
    strength = np.linspace(0, 1, len(sphere.points), dtype=np.float32)
    depth, onto = press.touched(sphere.points, inverse(MATRIX), MATRIX, press.Body.BOX, 0.7)
    some = slice(1000, 1003)
    few, few_onto = press.touched(sphere.points[some], inverse(MATRIX), MATRIX, press.Body.BOX, 0.7)
    assert np.array_equal(depth[some], few)
    assert np.array_equal(onto[some], few_onto)
    whole = ridges.grooves(sphere.points, strength, strength, 9, 0.3, 0.5, 0.1)
    part = ridges.grooves(sphere.points[some], strength[some], strength[some], 9, 0.3, 0.5, 0.1)
    assert np.abs(whole[some] - part).max() < 1e-6
