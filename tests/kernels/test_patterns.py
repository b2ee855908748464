"""Noise patterns against references written with plain NumPy, one cell at a time."""

import numpy as np
import pytest
from tests.kernels.test_noise import _mixed

from estompe.kernels.noise import gradient_noise
from estompe.kernels.patterns import Pattern, levels, pattern_noise
from estompe.kernels.swings import NEVER

_U = np.uint32
_P = (_U(0x9E3779B1), _U(0x85EBCA77), _U(0xC2B2AE3D))


@pytest.fixture(scope="module")
def points():
    return np.random.default_rng(3).uniform(-6, 6, (3000, 3)).astype(np.float32)


def _seed(seed, octave):
    return _mixed(np.array([_U(seed) + _U((octave + 1) * 0x68E31DA4 % 2**32)]))[0]


def _hash(cell, seed):
    with np.errstate(over="ignore"):
        parts = [cell[:, k].astype(np.int64).astype(np.uint32) * _P[k] for k in range(3)]
    return _mixed(parts[0] ^ parts[1] ^ parts[2] ^ seed)


def _unit(bits, shift):
    return ((bits >> _U(shift)) & _U(1023)).astype(np.float64) / 1024


def _swing(unit, phase):
    t = (unit + phase) % 1.0
    return 4 * np.abs(t - 0.5) - 1


def _shift(bits, phase):
    """How far a cell has swung at its own pace, without a loop."""
    return (49_153 + (bits >> _U(17)).astype(np.float64)) * (phase / NEVER) % 1.0


def _cellular(points, spread, seed, phase):
    """Every one of 27 cells by itself, in float64: distances sorted, and the nearest cell's hash."""
    cell = np.floor(points.astype(np.float64))
    distances, hashes = [], []
    for offset in np.ndindex(3, 3, 3):
        there = cell + np.array(offset) - 1
        bits = _hash(there, seed)
        jitter = np.stack([_swing(_unit(bits, shift), _shift(bits, phase)) for shift in (0, 10, 20)], axis=1)
        distances.append(np.linalg.norm(points - (there + 0.5 + 0.5 * spread * jitter), axis=1))
        hashes.append(bits)
    distances, hashes = np.stack(distances), np.stack(hashes)
    nearest = np.argmin(distances, axis=0)
    ordered = np.sort(distances, axis=0)
    return ordered[0], ordered[1], hashes[nearest, np.arange(len(points))]


@pytest.mark.parametrize("phase", [0.0, 0.3])
def test_cellular_noise_equals_the_reference(points, phase):
    seed = _seed(5, 0)
    first, second, bits = _cellular(points, 0.8, seed, phase)
    near = pattern_noise(points, Pattern.NEAREST, 1.0, 1, 0.5, 5, phase, 0.8)
    walls = pattern_noise(points, Pattern.DIFFERENCE, 1.0, 1, 0.5, 5, phase, 0.8)
    assert np.abs(near - first).max() < 5e-5
    assert np.abs(walls - (second - first)).max() < 1e-4
    clear = second - first > 1e-4  # where two cells are equally near, either may be the one
    cells = pattern_noise(points, Pattern.CELL, 1.0, 1, 0.5, 5, phase, 0.8)
    assert np.array_equal(cells[clear], _unit(_mixed(bits), 0).astype(np.float32)[clear])


def test_the_27_cells_around_hold_the_nearest_one_always_and_the_second_nearly_always(points):
    """What the search leaves out, counted against 125 cells."""
    seed = _seed(5, 0)
    first, second, _ = _cellular(points, 1.0, seed, 0.0)
    cell = np.floor(points.astype(np.float64))
    distances = []
    for offset in np.ndindex(5, 5, 5):
        there = cell + np.array(offset) - 2
        bits = _hash(there, seed)
        jitter = np.stack([_swing(_unit(bits, shift), 0.0) for shift in (0, 10, 20)], axis=1)
        distances.append(np.linalg.norm(points - (there + 0.5 + 0.5 * jitter), axis=1))
    exact = np.sort(np.stack(distances), axis=0)
    assert (np.abs(exact[0] - first) > 1e-9).mean() < 0.002
    assert (np.abs(exact[1] - second) > 1e-9).mean() < 0.02


@pytest.mark.parametrize("phase", [0.0, 0.6])
def test_value_noise_equals_the_reference(points, phase):
    found = pattern_noise(points, Pattern.VALUE, 1.0, 1, 0.5, 9, phase)
    cell = np.floor(points.astype(np.float64))
    fraction = points - cell
    fade = fraction**3 * (fraction * (fraction * 6 - 15) + 10)
    total = np.zeros(len(points))
    for corner in np.ndindex(2, 2, 2):
        weight = np.prod(np.where(np.array(corner) == 1, fade, 1 - fade), axis=1)
        bits = _hash(cell + np.array(corner), _seed(9, 0))
        total += weight * _swing(_unit(bits, 0), _shift(bits, phase))
    assert np.abs(found - total).max() < 5e-5


def test_sparse_noise_equals_the_reference(points):
    found = pattern_noise(points, Pattern.SPARSE, 1.0, 1, 0.5, 9, 0.2)
    cell = np.floor(points.astype(np.float64))
    total = np.zeros(len(points))
    for offset in np.ndindex(3, 3, 3):
        there = cell + np.array(offset) - 1
        bits = _hash(there, _seed(9, 0))
        for _ in range(2):
            place = there + np.stack([_unit(bits, shift) for shift in (0, 10, 20)], axis=1)
            reach = np.maximum(1 - ((points - place) ** 2).sum(axis=1), 0)
            bits = _mixed(bits + _U(0x9E3779B9))
            total += 0.5 * _swing(_unit(bits, 0), _shift(bits, 0.2)) * reach**3
            bits = _mixed(bits + _U(0x9E3779B9))
    assert np.abs(found - total).max() < 5e-5


@pytest.mark.parametrize("pattern", list(Pattern))
def test_patterns_loop_differ_by_seed_and_have_no_jumps(points, pattern):
    first = pattern_noise(points, pattern, 0.7, 3, 0.5, 1, 0.0)
    for turns in (1, 6, 40):
        back = pattern_noise(points, pattern, 0.7, 3, 0.5, 1, float(turns), 1.0, turns)
        assert np.array_equal(back, first)
        if turns > 1:
            inside = [
                pattern_noise(points, pattern, 0.7, 3, 0.5, 1, float(turn), 1.0, turns) for turn in range(1, turns)
            ]
            assert min(np.abs(values - first).mean() for values in inside) > 0.01
    assert np.abs(pattern_noise(points, pattern, 0.7, 3, 0.5, 1, 0.4) - first).mean() > 0.01
    assert np.abs(pattern_noise(points, pattern, 0.7, 3, 0.5, 2, 0.0) - first).mean() > 0.05
    if pattern is not Pattern.CELL:
        nudged = pattern_noise(points + np.float32(1e-4), pattern, 0.7, 3, 0.5, 1, 0.0)
        assert np.abs(nudged - first).max() < 0.02


@pytest.mark.parametrize("pattern", [Pattern.VALUE, Pattern.SIMPLEX, Pattern.SPARSE])
def test_patterns_are_centred_and_of_about_unit_height(pattern):
    many = np.random.default_rng(8).uniform(-500, 500, (60_000, 3)).astype(np.float32)
    values = pattern_noise(many, pattern, 1.0, 1, 0.5, 4)
    assert abs(float(values.mean())) < 0.02
    assert 0.75 < float(np.abs(values).max()) < 1.3


def test_gradient_noise_loops_exactly(points):
    start = gradient_noise(points, 0.8, 4, 0.5, 1.0, 3, 0.0, period=5)
    assert np.array_equal(gradient_noise(points, 0.8, 4, 0.5, 1.0, 3, 5.0, period=5), start)
    assert np.abs(gradient_noise(points, 0.8, 4, 0.5, 1.0, 3, 2.3, period=5) - start).mean() > 0.05


def test_levels_against_plain_numpy():
    values = np.linspace(-2, 2, 101, dtype=np.float32)
    unit = (np.clip((values + 0.5) / 1.5, 0, 1) - 0.5) * 2 + 0.5 + 0.1
    assert np.allclose(levels(values, -0.5, 1.0, 2.0, 0.1, 0.3, False), 0.3 * unit, atol=1e-6)
    assert np.allclose(levels(values, -0.5, 1.0, 2.0, 0.1, 0.3, True), 0.3 * (2 * unit - 1), atol=1e-6)
