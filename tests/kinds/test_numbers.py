"""Keyed numbers against the curve's formula and an independent interpolator."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from tests.scenes import numbers

from estompe.document.scene import Transform
from estompe.kinds.numbers import (
    Key,
    Keyed,
    plain,
    resolve,
    value_at,
    with_key,
    with_moved_keys,
    without_keys,
)


def _keyed(*keys: tuple, shape: str = "smooth") -> Keyed:
    return Keyed(tuple(Key(frame, value, shape) for frame, value in keys))


def test_holds_before_the_first_and_after_the_last_key():
    number = _keyed((10, 1.5), (20, 4.0))
    assert value_at(number, -100) == 1.5
    assert value_at(number, 500) == 4.0


def test_step_holds_until_the_next_key():
    number = _keyed((0, 1), (10, 2), shape="step")
    assert [value_at(number, frame) for frame in (0, 9.99, 10)] == [1, 1, 2]


@given(st.floats(0, 10))
def test_linear_and_smooth_between_two_keys(frame):
    t = frame / 10
    assert value_at(_keyed((0, 1), (10, 3), shape="linear"), frame) == pytest.approx(1 + 2 * t)
    assert value_at(_keyed((0, 1), (10, 3)), frame) == pytest.approx(1 + 2 * (3 * t**2 - 2 * t**3))


def test_inner_slopes_are_those_of_the_published_method():
    frames = np.array([0.0, 4.0, 10.0, 12.0, 30.0, 31.0])
    values = np.array([0.0, 1.0, 1.5, 4.0, 3.0, -2.0])
    number = Keyed(tuple(Key(f, v) for f, v in zip(frames, values, strict=True)))
    independent = PchipInterpolator(frames, values)
    inner = np.linspace(4.0, 30.0, 400)  # the ends ease here and do not there
    assert np.allclose([number.at(frame) for frame in inner], independent(inner), atol=1e-9)


@given(numbers(), st.floats(-100, 300))
def test_never_overshoots_its_keys(number, frame):
    if isinstance(number, Keyed):
        values = [key.value for key in number.keys]
        assert min(values) - 1e-6 <= number.at(frame) <= max(values) + 1e-6


@given(numbers(), st.integers(-60, 210))
def test_passes_through_its_keys(number, frame):
    new = with_key(number, float(frame), 7.25)
    assert new.at(frame) == 7.25
    assert [key.frame for key in new.keys] == sorted({key.frame for key in new.keys})


def test_resolve_shares_what_has_no_keys():
    transform = Transform(position=(_keyed((0, 0), (10, 10), shape="linear"), 2.0, 3.0))
    resolved = resolve(transform, 5)
    assert resolved.position == (5.0, 2.0, 3.0)
    assert resolved.rotation is transform.rotation
    still = Transform((1.0, 2.0, 3.0))
    assert resolve(still, 77) is still


def test_an_unresolved_number_is_not_taken_for_plain():
    with pytest.raises(TypeError, match="resolve its scene"):
        plain(_keyed((0, 1)))


def test_moving_and_removing_keys():
    number = _keyed((0, 1), (10, 2), (20, 3))
    assert [(key.frame, key.value) for key in with_moved_keys(number, {0}, 10).keys] == [(10, 1), (20, 3)]
    assert [key.frame for key in with_moved_keys(number, {0}, 5, copy=True).keys] == [0, 5, 10, 20]
    assert without_keys(number, {0.0, 10.0, 20.0}) == 1
    assert without_keys(number, {10.0}) == _keyed((0, 1), (20, 3))
