"""Deforming kernels against plain NumPy; smoothing against scipy; skinning against each joint's own matrix."""

import numpy as np
import pytest
from scipy.sparse import csr_matrix

from estompe.kernels import PARALLEL_FROM
from estompe.kernels.deform import Deformation, deform
from estompe.kernels.smooth import blurred, towards_neighbours
from estompe.shapes import primitives

SAME = np.eye(4)[:3]


def _turned(x, z, angle):
    return np.cos(angle) * x + np.sin(angle) * z, np.cos(angle) * z - np.sin(angle) * x


def _expected(way, p, s, n):
    x, y, z = p.T.astype(np.float64)
    if way is Deformation.ROTATE:
        x, z = _turned(x, z, n[0] * s)
    elif way is Deformation.SCALE:
        x, y, z = (c * (1 + (f - 1) * s) for c, f in zip((x, y, z), n, strict=True))
    elif way is Deformation.TWIST:
        x, z = _turned(x, z, n[0] * s * np.clip((y - n[1]) / (n[2] - n[1]), 0, 1))
    elif way is Deformation.TAPER:
        factor = 1 + (n[0] - 1) * s * np.clip((y - n[1]) / (n[2] - n[1]), 0, 1)
        x, z = x * factor, z * factor
    elif way is Deformation.ATTRACT:
        distance = np.linalg.norm(p, axis=1)
        fraction = np.minimum(n[0] * s * (n[2] / np.maximum(distance, n[2] * 1e-3)) ** n[1] / distance, 1)
        x, y, z = x * (1 - fraction), y * (1 - fraction), z * (1 - fraction)
    elif way is Deformation.AWAY:
        flat = np.hypot(x, z)
        x, z = x + x / flat * n[0] * s, z + z / flat * n[0] * s
    else:
        length = n[2] - n[1]
        angle = n[0] * s
        radius = length / angle
        along = np.clip(y - n[1], 0, length)
        theta = angle * along / length
        beyond = y - n[1] - along
        out = radius - x
        x, y = (
            radius - out * np.cos(theta) + beyond * np.sin(theta),
            n[1] + out * np.sin(theta) + beyond * np.cos(theta),
        )
    return np.stack([x, y, z], axis=1)


@pytest.mark.parametrize("count", [300, PARALLEL_FROM + 77])
@pytest.mark.parametrize("way", list(Deformation))
def test_each_way_equals_plain_numpy(way, count):
    rng = np.random.default_rng(int(way))
    points = rng.uniform(-1, 1, (count, 3)).astype(np.float32)
    strength = rng.uniform(0.05, 1, count).astype(np.float32)
    numbers = (
        [1.3, 0.8, 1.6]
        if way is Deformation.SCALE
        else [0.4, 1.5, 0.6]
        if way is Deformation.ATTRACT
        else [1.4, -0.5, 0.7]
    )
    found = deform(points, strength, way, SAME, SAME, numbers)
    assert np.abs(found - _expected(way, points, strength.astype(np.float64), numbers)).max() < 2e-5


@pytest.mark.parametrize("way", list(Deformation))
def test_points_without_strength_keep_every_bit(way):
    points = np.random.default_rng(4).uniform(-3, 3, (1000, 3)).astype(np.float32)
    into = np.array([[0.3, 0.2, 0.9, 1.0], [0.1, 1.4, 0.0, -2.0], [0.7, 0.0, 0.4, 0.3]])
    assert np.array_equal(deform(points, np.zeros(1000, np.float32), way, into, into, [2.0, 0.1, 1.0]), points)


def test_a_bend_keeps_lengths_along_the_axis():
    y = np.linspace(0, 2, 200, dtype=np.float32)
    line = np.stack([np.zeros_like(y), y, np.zeros_like(y)], axis=1)
    bent = deform(line, np.ones(200, np.float32), Deformation.BEND, SAME, SAME, [np.pi, 0.0, 2.0])
    assert np.linalg.norm(np.diff(bent, axis=0), axis=1).sum() == pytest.approx(2.0, rel=1e-3)
    assert np.allclose(bent[-1], [4 / np.pi, 0, 0], atol=1e-4)


def test_attract_never_goes_past_the_target():
    points = np.random.default_rng(6).uniform(-0.2, 0.2, (500, 3)).astype(np.float32)
    found = deform(points, np.ones(500, np.float32), Deformation.ATTRACT, SAME, SAME, [5.0, 2.0, 0.5])
    assert np.abs(found).max() < 1e-6


def test_smoothing_equals_a_sparse_product():
    sphere = primitives.sphere(1.0, 20)
    starts, members = sphere.topology.neighbours
    n = len(sphere.points)
    mean = csr_matrix((np.ones(len(members)), members, starts), (n, n))
    mean = mean.multiply(1 / mean.sum(axis=1)).tocsr()
    weight = np.random.default_rng(1).uniform(0, 1, n).astype(np.float32)
    points = sphere.points.astype(np.float64)
    expected = points + 0.5 * weight[:, None] * (mean @ points - points)
    found = towards_neighbours(sphere.points, starts, members, weight, 0.5)
    assert np.abs(found - expected).max() < 1e-6
    blur = csr_matrix((np.ones(len(members)), members, starts), (n, n)) + csr_matrix(np.eye(n))
    expected = weight.astype(np.float64)
    for _ in range(3):
        expected = (blur @ expected) / np.asarray(blur.sum(axis=1)).ravel()
    assert np.abs(blurred(weight, starts, members, 3) - expected).max() < 1e-6
