"""Geometry refuses what is broken, shares what it leaves alone, and never changes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from estompe.geometry import Domain, Geometry, GeometryError
from estompe.geometry.transforms import inverse, rotation_matrix, transform_matrix
from estompe.kernels.transform import transformed
from estompe.shapes import primitives

TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)


@pytest.mark.parametrize(
    ("points", "corners", "offsets", "words"),
    [
        (TRIANGLE * np.nan, [0, 1, 2], [0, 3], "point 1 has a position that is not a number"),
        (TRIANGLE, [0, 1, 3], [0, 3], "face 1 names a point that does not exist"),
        (TRIANGLE, [0, 1, -1], [0, 3], "face 1 names a point that does not exist"),
        (TRIANGLE, [0, 1], [0, 2], "face 1 has fewer than three corners"),
        (TRIANGLE, [], [0], "it has no faces"),
    ],
)
def test_broken_meshes_are_refused_with_words(points, corners, offsets, words):
    with pytest.raises(GeometryError, match=words):
        Geometry.from_faces(points, np.array(corners, np.int64), np.array(offsets, np.int64))


def test_an_attribute_of_the_wrong_length_is_refused():
    with pytest.raises(GeometryError, match="“warmth” has 2 values for 3 points"):
        Geometry.from_faces(TRIANGLE, np.arange(3), np.array([0, 3]), {(Domain.POINT, "warmth"): np.zeros(2)})


def test_arrays_are_read_only_and_shared():
    sphere = primitives.sphere(1.0, 2)
    with pytest.raises(ValueError, match="read-only"):
        sphere.points[0] = 0
    moved = sphere.moved(sphere.points + np.float32(1))
    assert moved.topology is sphere.topology
    assert moved.rest is sphere.points
    assert moved.attribute(Domain.CORNER, "uv") is sphere.attribute(Domain.CORNER, "uv")


def test_turns_are_about_x_then_y_then_z():
    turn = (20.0, -35.0, 50.0)
    assert np.allclose(rotation_matrix(turn), Rotation.from_euler("xyz", turn, degrees=True).as_matrix())


def test_placement_and_its_inverse():
    matrix = transform_matrix((1, 2, 3), (10, 20, 30), (2, 0.5, 3))
    points = np.random.default_rng(0).normal(size=(50, 3)).astype(np.float32)
    assert np.allclose(transformed(transformed(points, matrix), inverse(matrix)), points, atol=1e-5)


@given(
    st.tuples(*[st.floats(-50, 50)] * 3), st.tuples(*[st.floats(-360, 360)] * 3), st.tuples(*[st.floats(0.01, 20)] * 3)
)
def test_the_inverse_is_that_of_linear_algebra(place, turn, size):
    matrix = transform_matrix(place, turn, size)
    whole = np.vstack([matrix, [0, 0, 0, 1]])
    back = np.linalg.inv(whole)[:3]
    assert np.abs(inverse(matrix) - back).max() <= 1e-9 * max(1.0, np.abs(back).max())
    assert np.abs(matrix[:, :3] / size @ (matrix[:, :3] / size).T - np.eye(3)).max() < 1e-12  # a turn keeps lengths


@pytest.mark.parametrize("size", [(0, 1, 1), (0, 0, 1), (0, 0, 0)])
def test_a_size_of_zero_has_an_inverse_all_the_same(size):
    assert np.isfinite(inverse(transform_matrix((0, 0, 0), (5, 6, 7), size))).all()
