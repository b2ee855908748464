"""Pictures, angles, and means around points against general libraries in double precision."""

import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from estompe.kernels.angles import degrees_of, degrees_towards
from estompe.kernels.sampling import sampled
from estompe.kernels.topology import corners_of_points, point_means
from estompe.shapes import primitives


@pytest.mark.parametrize(("height", "width"), [(1, 1), (1, 7), (13, 29)])
@pytest.mark.parametrize("repeat", [1.0, 3.5])
def test_a_picture_between_its_pixels_and_beyond_its_edges(height, width, repeat):
    rng = np.random.default_rng(2)
    pixels = rng.random((height, width, 4), np.float32)
    uv = rng.uniform(-2.0, 3.0, (5000, 2)).astype(np.float32)
    uv[:4] = (0, 0), (1, 1), (-1e-9, 1 + 1e-9), (2, -1)
    weights = np.array([0.5, 0.25, -1.0, 2.0], np.float32)
    u, v = (uv.astype(np.float64) * repeat).T
    rows, columns = (1 - v) * height - 0.5, u * width - 0.5
    expected = map_coordinates(
        pixels.astype(np.float64) @ weights.astype(np.float64), [rows, columns], order=1, mode="grid-wrap"
    )
    assert np.abs(sampled(pixels, uv, repeat, weights) - expected).max() < 2e-3 * repeat


def test_places_that_are_no_numbers_read_no_foreign_memory():
    uv = np.array([[np.nan, 0.5], [0.5, np.nan], [np.inf, -np.inf]], np.float32)
    assert np.isnan(sampled(np.ones((3, 3, 4), np.float32), uv, 1.0, np.ones(4, np.float32))).all()


def test_degrees_of_cosines():
    cosines = np.concatenate([np.linspace(-1, 1, 20_001), [1 + 1e-6, -1 - 1e-6]]).astype(np.float32)
    exact = np.degrees(np.arccos(np.clip(cosines.astype(np.float64), -1, 1)))
    assert np.abs(degrees_of(cosines) - exact).max() < 3e-5


def test_degrees_towards_a_place():
    sphere = primitives.sphere(0.7, 12)
    place = np.array([1.5, -0.4, 2.0], np.float32)
    towards = place.astype(np.float64) - sphere.points
    exact = np.degrees(np.arccos((towards * sphere.normals).sum(axis=1) / np.linalg.norm(towards, axis=1)))
    assert np.abs(degrees_towards(sphere.points, sphere.normals, place) - exact).max() < 0.03
    assert np.isfinite(degrees_towards(sphere.points, sphere.normals, sphere.points[3])).all()


@pytest.mark.parametrize("shape", [(600,), (600, 3)])
def test_means_around_points_are_sums_over_counts(shape):
    rng = np.random.default_rng(7)
    values, owners = rng.random(shape, np.float32), rng.integers(0, 150, 600).astype(np.int32)
    owners[owners == 17] = 18
    found = point_means(values, *corners_of_points(owners, 150))
    counts = np.maximum(np.bincount(owners, minlength=150), 1)
    sums = np.zeros((150, *shape[1:]))
    np.add.at(sums, owners, values)
    assert found.shape == (150, *shape[1:])
    assert np.abs(found - sums / counts.reshape(-1, *[1] * (len(shape) - 1))).max() < 1e-6
    assert not found[17].any()
