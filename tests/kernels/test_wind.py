"""Wind against a float64 reference written with plain NumPy, and its properties."""

import numpy as np
import pytest
from tests.kernels.test_noise import _mixed

from estompe.kernels.swings import NEVER
from estompe.kernels.wind import Root, swayed

_U = np.uint32


def _field(at, seed, swings):
    """One pendulum after another, in float64."""
    cell = np.floor(at).astype(np.int64)
    inside = at - cell
    faded = inside**3 * (inside * (inside * 6 - 15) + 10)
    total, squares = np.zeros(len(at)), np.zeros(len(at))
    for corner in np.ndindex(2, 2, 2):
        bits = np.full(len(at), seed, _U)
        weight = np.ones(len(at))
        for axis, step in enumerate(corner):
            bits ^= (cell[:, axis] + step).astype(_U) * _U((0x9E3779B1, 0x85EBCA77, 0xC2B2AE3D)[axis])
            weight *= faded[:, axis] if step else 1 - faded[:, axis]
        bits = (bits ^ (bits >> _U(15))) * _U(0x2C1B3C6D)
        bits ^= bits >> _U(13)
        turns = (bits * _U(0x297A2D39)) / 2.0**32 + (49_153 + (bits >> _U(17))) * (swings / NEVER)
        phase = 2.0 * (turns - np.round(turns))
        total += weight * 4.0 * phase * (1.0 - np.abs(phase))
        squares += weight**2
    return total / np.sqrt(squares)


def _reference(points, size, swings, seed):
    total = np.zeros(len(points))
    for octave in (0, 1):
        own = _mixed(np.array([_U(seed) + _U(octave + 1) * _U(0x68E31DA4)]))[0]
        total += 0.55 / 2**octave * _field(points / size * 2**octave, own, swings * 2**octave)
    return total


@pytest.fixture(scope="module")
def points():
    return (np.random.default_rng(4).random((3000, 3), np.float32) - np.float32(0.5)) * np.float32(12)


def _wind(points, swings, seed=11, size=1.0, turns=0):
    blown = swayed(
        np.ascontiguousarray(points), np.ones(len(points), np.float32), None, (0.0, 1.0, 0.0), size, swings, seed, turns
    )
    assert np.array_equal(blown[:, [0, 2]], points[:, [0, 2]])
    return blown[:, 1] - points[:, 1]


@pytest.mark.filterwarnings("ignore:overflow encountered")
@pytest.mark.parametrize("swings", [0.0, 0.37, 12.25, 1000.5, -3.1])
def test_equals_the_float64_reference(points, swings):
    # The seed counts on from axis to axis. What remains is the rounding of places up to 6, and of time to 2^-32 of a round.
    assert np.abs(_wind(points, swings) - _reference(points, 1.0, swings, 12)).max() < 2e-4


def test_is_back_after_a_round_and_not_before(points):
    begun = _wind(points, 0.3, turns=12)
    assert np.allclose(_wind(points, 12.3, turns=12), begun, atol=1e-5)
    for earlier in (1, 2, 3, 4, 6):
        assert np.abs(_wind(points, 0.3 + earlier, turns=12) - begun).max() > 0.5


def test_without_a_loop_it_is_never_back_in_ten_thousand_frames(points):
    begun, few = _wind(points[:200], 0.3), points[:200]
    near = min(np.abs(_wind(few, 0.3 + frame / 24) - begun).mean() for frame in range(20, 10_000, 7))
    assert near > 0.1


def test_no_place_is_calmer_than_another_and_wind_is_centred():
    lattice = np.argwhere(np.ones((12, 12, 12))).astype(np.float32) * 2
    moments = np.linspace(0, 640, 64, endpoint=False)
    spreads = []
    for places in (lattice, lattice + np.float32(0.5), lattice + np.float32(0.31)):
        values = np.array([_wind(places, float(moment)) for moment in moments])
        assert abs(values.mean()) < 0.01
        spreads.append(values.std())
    assert max(spreads) / min(spreads) < 1.03


def test_one_in_a_hundred_goes_beyond_the_amount(points):
    far = np.array([np.abs(_wind(points, float(moment))) for moment in np.arange(0.0, 64.0, 1.37)])
    assert 0.005 < (far > 1.0).mean() < 0.015
    assert far.max() < 2.0


def test_swings_about_as_often_as_it_is_told(points):
    moments = np.arange(0.0, 32.0, 0.02)
    values = np.array([_wind(points[:50], float(moment)) for moment in moments])
    wide = np.array([_wind(points[:50], float(moment), size=1000.0) for moment in moments])
    crossings = (np.diff(np.sign(values), axis=0) != 0).sum() / 50 / 2
    assert 32 < crossings < 55, "the smaller field, twice as fast and half as strong, adds some"
    steps = np.abs(np.diff(wide, axis=0)).max()
    assert steps < 0.2, "nothing jumps"


def test_a_root_holds_by_height_to_a_power(points):
    rest = np.random.default_rng(2).random((len(points), 3), np.float32)
    ones = np.ones(len(points), np.float32)
    for axis in range(3):
        root = Root(rest, axis, 0.25, 0.75, 2.0)
        held = swayed(points, ones, root, (0.5, 0.0, 0.0), 1.0, 0.4, 3) - points
        free = swayed(points, ones, None, (0.5, 0.0, 0.0), 1.0, 0.4, 3) - points
        fraction = np.maximum((rest[:, axis].astype(float) - 0.25) / 0.5, 0.0) ** 2
        assert np.abs(held[:, 0] - fraction * free[:, 0]).max() < 1e-5
        assert not held[rest[:, axis] <= 0.25].any()
