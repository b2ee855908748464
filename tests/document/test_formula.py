"""Formulas: arithmetic against Python's own, what is refused and where, and values per element."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from estompe.document.formula import FUNCTIONS, FormulaError, compute, names_in, parse


def _names(parts):
    known = {("frame",): 24.0, ("Lantern", "position", "x"): 2.0, ("Lantern glow", "gone"): 0.5}
    if parts not in known:
        raise LookupError(f"nothing here is called “{parts[0]}”")
    return known[parts]


def _value(text):
    return compute(parse(text), _names)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1 + 2 * 3", 7),
        ("(1 + 2) * 3", 9),
        ("2 ^ 3 ^ 2", 512),
        ("-2 ^ 2", -4),
        ("8 / 4 / 2", 1),
        ("7 - 2 - 1", 4),
        ("- -3", 3),
        (".5e1", 5),
        ("sin(30)", 0.5),
        ("cos(60) + tan(45)", 1.5),
        ("min(3, 1, 2) + max(3, 1)", 4),
        ("clamp(9, 0, 1) + mix(2, 4, 0.25)", 3.5),
        ("if(frame > 20, 1, 2)", 1),
        ("frame >= 24 and not (frame == 3)", 1),
        ("1 < 2 or 3 < 2", 1),
        ("ease(0.5)", 0.5),
        ("Lantern.position.x * 'Lantern glow'.gone", 1),
    ],
)
def test_arithmetic(text, expected):
    assert _value(text) == pytest.approx(expected)


_numbers = st.floats(-50, 50).map(lambda value: round(value, 3))
_trees = st.recursive(
    _numbers.map(lambda value: f"({value!r})"),
    lambda inner: st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda part: f"({part[0]} {part[1]} {part[2]})"),
    max_leaves=12,
)


@given(_trees)
def test_agrees_with_python(text):
    assert _value(text) == pytest.approx(
        eval(text), rel=1e-9, abs=1e-9
    )  # the test's own text, of digits and signs only


@pytest.mark.parametrize(
    ("text", "words", "place"),
    [
        ("1 +", "something is missing", (3, 4)),
        ("1 + * 2", "does not fit here", (4, 5)),
        ("(1 + 2", "expected “)”", (6, 7)),
        ("1 2", "does not fit here", (2, 3)),
        ("lamp + 1", "nothing here is called “lamp”", (0, 4)),
        ("1 / (2 - 2)", "division by zero", (5, 10)),
        ("clamp(1, 2)", "clamp takes 3 values, not 2", (0, 11)),
        ("dance(1)", "“dance” is not something to call", (0, 5)),
        ("1 + ;", "“;” does not belong in a formula", (4, 5)),
        ("Lantern.", "a name is missing after the dot", (8, 9)),
        ("10 ^ 400", "not a finite number", (0, 8)),
        ("exp(1000)", "not a finite number", (0, 9)),
        ("1 + sqrt(0 - 1)", "the square root of a number below zero", (4, 15)),
        ("", "something is missing", (0, 1)),
        ("(" * 80 + "1" + ")" * 80, "nested too deeply", None),
        ("1+" * 600 + "1", "longer than 1000 characters", None),
    ],
)
def test_what_is_wrong_is_said_with_its_place(text, words, place):
    with pytest.raises(FormulaError) as error:
        _value(text)
    assert words in str(error.value)
    if place is not None:
        assert (error.value.begin, error.value.end) == place


@given(st.text(alphabet="abc123.+-*/^()<>=, '", max_size=60))
def test_no_text_does_more_than_fail(text):
    try:
        value = _value(text)
    except FormulaError as error:
        value = error.begin
    assert math.isfinite(value)


def test_nothing_of_python_can_be_reached():
    for text in ("__import__('os')", "open('x')", "frame.__class__", "().x", "[1]", "lambda: 1"):
        with pytest.raises(FormulaError):
            _value(text)


def test_values_per_element():
    x = np.linspace(-1, 1, 11)
    found = compute(parse("if(x > 0, x ^ 2, -x)"), lambda parts: {("x",): x}[parts])
    assert np.allclose(found, np.where(x > 0, x**2, -x))
    with pytest.raises(FormulaError, match="division by zero"):
        compute(parse("1 / x"), lambda _: x)


def test_names_are_found_everywhere():
    assert names_in(parse("a.b + sin(c) * (d - 'e f'.g)")) == {("a", "b"), ("c",), ("d",), ("e f", "g")}


def test_every_function_takes_its_fewest_arguments():
    for name, (fewest, _, _) in FUNCTIONS.items():
        assert math.isfinite(_value(f"{name}({', '.join(['0.5'] * fewest)})"))
