"""The algebra of layers and routes, and the strength's limits."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from estompe.document.scene import Layer, RampPoint, Range, Route
from estompe.falloffs.joining import join_layers, join_routes, joined, strengths
from estompe.falloffs.noise import Noise
from estompe.falloffs.ramp import drawn, positions, remapped, remapping

JOINS = ("multiply", "add", "subtract", "larger", "smaller", "replace")
_values = arrays(np.float32, 7, elements=st.floats(-4, 4, width=32))


def _layer(join="multiply", one_minus=False) -> Layer:
    return Layer("l", Noise(), join, one_minus)


@given(_values, _values)
def test_joins_that_do_not_mind_the_order(a, b):
    for join in ("multiply", "add", "larger", "smaller"):
        assert np.array_equal(joined(a, b, join), joined(b, a, join))


@given(_values, _values, _values)
def test_larger_and_smaller_group_as_one_likes(a, b, c):
    for join in ("larger", "smaller"):
        assert np.array_equal(joined(joined(a, b, join), c, join), joined(a, joined(b, c, join), join))


@given(_values, _values)
def test_against_plain_numpy(a, b):
    expected = {"multiply": a * b, "add": a + b, "subtract": a - b, "replace": b}
    expected |= {"larger": np.maximum(a, b), "smaller": np.minimum(a, b)}
    for join in JOINS:
        assert np.array_equal(join_layers([_layer(), _layer(join)], [a, b]), expected[join])


@given(_values)
def test_one_minus_twice_is_the_identity(a):
    once = join_layers([_layer(one_minus=True)], [a])
    assert np.allclose(join_layers([_layer(one_minus=True)], [once]), a, atol=1e-6)


@given(_values)
def test_neutral_layers(a):
    zeros, ones = np.zeros(7, np.float32), np.ones(7, np.float32)
    assert np.array_equal(joined(a, ones, "multiply"), a)
    assert np.array_equal(joined(a, zeros, "add"), a)
    assert np.array_equal(joined(a, zeros, "subtract"), a)
    assert np.array_equal(joined(a, a, "larger"), a)


@given(st.lists(st.tuples(st.sampled_from(JOINS), st.booleans(), _values), min_size=1, max_size=4), st.booleans())
def test_the_strength_of_a_stack_is_its_joined_values_through_the_ramp(stack, signed):
    layers, values = [_layer(join, flipped) for join, flipped, _ in stack], [own for *_, own in stack]
    within, ramp = Range(0.2, 1.1), (RampPoint(0.0, 1.0), RampPoint(0.6, 0.1), RampPoint(1.0, 0.0))
    expected = remapped(join_layers(layers, values), within, ramp, signed)
    assert np.array_equal(strengths(layers, values, remapping(within, ramp, signed)), expected)


def test_routes_have_amounts_and_can_be_inverted():
    strength = np.array([0.0, 0.25, 1.0], np.float32)
    assert np.allclose(join_routes([Route("a", 0.5)], [strength]), [0, 0.125, 0.5])
    assert np.allclose(join_routes([Route("a", one_minus=True)], [strength]), [1, 0.75, 0])
    both = join_routes([Route("a"), Route("b", 0.5, "add", one_minus=True)], [strength, strength])
    assert np.allclose(both, strength + 0.5 * (1 - strength))


@given(
    _values,
    st.floats(-2, 2),
    st.floats(-2, 2),
    st.lists(st.tuples(st.floats(0, 1), st.floats(-1, 2)), min_size=1, max_size=4),
)
def test_strength_is_in_0_to_1_unless_signed(values, full, gone, points):
    ramp = tuple(RampPoint(position, value) for position, value in points)
    assert remapped(values, Range(full, gone), ramp, signed=False).min() >= 0
    assert remapped(values, Range(full, gone), ramp, signed=False).max() <= 1


@given(st.lists(st.tuples(st.floats(0, 1, width=16), st.floats(0, 1)), min_size=1, max_size=4), st.booleans())
def test_the_drawn_ramp_is_the_one_that_is_used(points, signed):
    ramp = tuple(RampPoint(float(position), value) for position, value in points)
    values = np.linspace(-0.3, 1.4, 101, dtype=np.float32)
    used = remapped(values, Range(0.2, 0.9), ramp, signed)
    # A value that lies on a step within rounding may fall to either side of it.
    assert (np.abs(drawn(values, Range(0.2, 0.9), ramp, signed) - used) < 1e-3).mean() > 0.97


@given(st.lists(st.floats(0, 1, width=32), min_size=3, max_size=6, unique=True))
def test_the_ramp_is_monotone_where_its_points_are(heights):
    falling = sorted(heights, reverse=True)
    places = np.linspace(0, 1, len(falling))
    ramp = tuple(RampPoint(float(p), float(h)) for p, h in zip(places, falling, strict=True))
    strengths = remapped(np.linspace(0, 1, 500, dtype=np.float32), Range(0.0, 1.0), ramp, signed=False)
    assert (np.diff(strengths) <= 1e-6).all()


def test_the_ramp_passes_through_its_points_whatever_their_order():
    ramp = (RampPoint(1.0, 0.1), RampPoint(0.0, 0.9), RampPoint(0.5, 0.3))
    strengths = remapped(np.array([0, 0.5, 1], np.float32), Range(0.0, 1.0), ramp, signed=False)
    assert np.allclose(strengths, [0.9, 0.3, 0.1], atol=1e-6)


@pytest.mark.parametrize(("full", "gone"), [(0.5, 2.0), (2.0, 0.5)])
def test_positions_are_0_at_full_and_1_at_gone(full, gone):
    assert np.allclose(positions(np.array([full, gone], np.float32), Range(full, gone)), [0, 1])
