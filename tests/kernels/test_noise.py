"""Noise against a float64 reference written with plain NumPy, and its properties."""

import numba
import numpy as np
import pytest

from estompe.kernels import BLOCK
from estompe.kernels import noise as kernel
from estompe.kernels.noise import gradient_noise

_U = np.uint32


def _mixed(bits):
    bits = bits ^ (bits >> _U(15))
    bits = bits * _U(0x2C1B3C6D)
    bits = bits ^ (bits >> _U(12))
    bits = bits * _U(0x297A2D39)
    return bits ^ (bits >> _U(15))


def _reference(points, size, octaves, roughness, amount, seed, time=None):
    """The same definition, one lattice corner at a time, in float64."""
    coordinates = points * np.float32(1.0 / size)
    if time is not None:
        moment = np.full((len(points), 1), np.float32(time))
        coordinates = np.concatenate([coordinates, moment], axis=1)
    total, scale, weight = np.zeros(len(points)), 1.0, amount
    for octave in range(octaves):
        own_seed = _mixed(np.array([_U(seed) + _U(octave + 1) * _U(0x68E31DA4)]))[0]
        total += weight * _octave(coordinates.astype(np.float64) * scale, own_seed)
        scale *= 2.0
        weight *= roughness
    return total


def _octave(at, seed):
    dimensions = at.shape[1]
    primes = [_U(p) for p in (0x9E3779B1, 0x85EBCA77, 0xC2B2AE3D, 0x27D4EB2F)]
    bits_each, centre = (10, 511.5) if dimensions == 3 else (8, 127.5)
    cell = np.floor(at).astype(np.int64)
    inside = at - cell
    faded = inside**3 * (inside * (inside * 6 - 15) + 10)
    total = np.zeros(len(at))
    for corner in np.ndindex(*(2,) * dimensions):
        bits = np.full(len(at), seed, np.uint32)
        for axis, step in enumerate(corner):
            bits ^= (cell[:, axis] + step).astype(np.uint32) * primes[axis]
        bits = _mixed(bits)
        dot, weight = np.zeros(len(at)), np.ones(len(at))
        for axis, step in enumerate(corner):
            gradient = ((bits >> _U(bits_each * axis)) & _U(2**bits_each - 1)).astype(np.float64) - centre
            dot += gradient * (inside[:, axis] - step)
            weight *= faded[:, axis] if step else 1 - faded[:, axis]
        total += dot * weight
    return total * 1.3 / centre


@pytest.fixture(scope="module")
def points():
    return (np.random.default_rng(4).random((3000, 3), np.float32) - np.float32(0.5)) * np.float32(12)


@pytest.mark.filterwarnings("ignore:overflow encountered")
@pytest.mark.parametrize("time", [None, 0.0, 3.7, -2.25])
@pytest.mark.parametrize(("octaves", "roughness"), [(1, 0.5), (4, 0.5), (6, 0.7)])
def test_equals_the_float64_reference(points, octaves, roughness, time):
    ours = gradient_noise(points, 0.9, octaves, roughness, 1.0, 11, time)
    reference = _reference(points, 0.9, octaves, roughness, 1.0, 11, time)
    assert np.abs(ours - reference).max() < 1e-5


def test_is_zero_on_the_lattice_and_centred():
    lattice = np.argwhere(np.ones((6, 6, 6))).astype(np.float32)
    assert np.abs(gradient_noise(lattice, 1.0, 1, 0.5, 1.0, 3)).max() < 1e-6
    many = np.random.default_rng(0).random((60_000, 3), np.float32) * 40
    values = gradient_noise(many, 1.0, 1, 0.5, 1.0, 3)
    assert abs(float(values.mean())) < 0.01
    assert 0.8 < float(np.abs(values).max()) < 1.5


def test_is_continuous_over_cell_borders():
    x = np.linspace(-2, 2, 4001, dtype=np.float32)
    line = np.stack([x, np.full_like(x, 0.3), np.full_like(x, 0.7)], axis=1)
    assert np.abs(np.diff(gradient_noise(line, 1.0, 1, 0.5, 1.0, 5))).max() < 0.005


def test_another_seed_is_another_pattern(points):
    one, two = (gradient_noise(points, 1.0, 2, 0.5, 1.0, seed) for seed in (1, 2))
    assert abs(float(np.corrcoef(one, two)[0, 1])) < 0.1


def test_amount_scales(points):
    assert np.allclose(
        gradient_noise(points, 1.0, 3, 0.5, 0.2, 1), 0.2 * gradient_noise(points, 1.0, 3, 0.5, 1.0, 1), atol=1e-6
    )


def test_does_not_depend_on_how_many_points_are_asked(points):
    many = np.concatenate([points] * 12)
    all_at_once = gradient_noise(many, 1.0, 3, 0.5, 1.0, 1, 0.4)
    few = gradient_noise(points[: 3 * BLOCK], 1.0, 3, 0.5, 1.0, 1, 0.4)
    assert np.array_equal(all_at_once[: 3 * BLOCK], few)


def test_is_compiled_to_packed_instructions(points):
    # A kernel that came from the cache on disk has no listing, so it is compiled again.
    fresh = numba.njit(
        getattr(kernel._noise_3_serial, "py_func", None) or kernel._noise_3_serial.function,
        fastmath={"contract", "nsz", "arcp"},
        error_model="numpy",
    )
    one = np.float32(1.0)
    fresh(points.reshape(-1), np.empty(len(points), np.float32), one, 2, one, one, _U(1))
    listing = "".join(fresh.inspect_asm().values())
    packed = sum(listing.count(word) for word in ("vpmulld", "vfmadd", "fmla", "mul.4s", "mul\tv"))
    assert packed > 50, "the noise loop is no longer vectorised"
