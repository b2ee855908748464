"""Values that scripts give to settings: keys, formulas, and words about what does not fit."""

import difflib
from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, overload

from estompe.geometry.colors import Color, linear_color
from estompe.kinds.curve import Interpolation
from estompe.kinds.numbers import Formula, Key, Keyed, Number, Triple

Outside = Literal["hold", "loop", "continue"]


class ScriptError(ValueError):
    """What a script asks for and cannot have; the text says what, where, and what there is."""


def unknown(what: str, name: object, there: Iterable[str]) -> ScriptError:
    """An error about a name that is not there, with the nearest one and all that are."""
    names = sorted(map(str, there))
    near = difflib.get_close_matches(str(name), names, 1)
    guess = f"; did you mean “{near[0]}”?" if near else ""
    return ScriptError(
        f"there is no {what} “{name}”{guess} There are: {', '.join(names) or 'none'}.".replace("?.", "?")
    )


def color_as_shown(red: float, green: float, blue: float) -> Color:
    """A colour by the values that a screen shows (sRGB, 0 to 1 each), in the linear light that scenes hold.

    >>> import estompe as es
    >>> es.color_as_shown(1.0, 0.5, 0.0)
    (1.0, 0.214041, 0.0)
    """
    return linear_color((red, green, blue))


@overload
def keys(
    values: Mapping[float, float], interpolation: Interpolation = ..., before: Outside = ..., after: Outside = ...
) -> Keyed: ...


@overload
def keys(
    values: Mapping[float, Sequence[float]],
    interpolation: Interpolation = ...,
    before: Outside = ...,
    after: Outside = ...,
) -> Triple: ...


def keys(
    values: Mapping[float, float] | Mapping[float, Sequence[float]],
    interpolation: Interpolation = "smooth",
    before: Outside = "hold",
    after: Outside = "hold",
) -> Number | Triple:
    """Key a number, or three at once.

    Parameters
    ----------
    values : mapping
        Values by frame; numbers, or three of them each.
    interpolation : str
        How each key goes on to the next: "step", "linear" or "smooth".
    before, after : str
        What happens outside of the keys: "hold", "loop" or "continue".

    Returns
    -------
    Keyed or three of them
        For any setting that can be keyed.

    Raises
    ------
    ScriptError
        Without keys, or where values are not all single numbers or all triples.

    Examples
    --------
    >>> import estompe as es
    >>> es.keys({1: 0.0, 24: 1.0}).at(24)
    1.0
    >>> [number.at(1) for number in es.keys({1: (-1, 1, 0), 96: (1, 1, 0)})]
    [-1.0, 1.0, 0.0]
    """
    if not values:
        raise ScriptError("keys need at least one frame, such as keys({1: 0.0, 24: 1.0})")
    rows = {float(frame): value for frame, value in sorted(values.items())}
    single = [isinstance(value, int | float) for value in rows.values()]
    if all(single):
        return Keyed(tuple(Key(frame, float(value), interpolation) for frame, value in rows.items()), before, after)  # type: ignore[arg-type]
    if any(single) or any(len(value) != 3 for value in rows.values()):  # type: ignore[arg-type]
        raise ScriptError("keys are all single numbers, or all of them three numbers X Y Z")
    x, y, z = (
        Keyed(tuple(Key(frame, float(value[axis]), interpolation) for frame, value in rows.items()), before, after)  # type: ignore[index]
        for axis in range(3)
    )
    return (x, y, z)


def formula(text: str) -> Formula:
    """Let a setting follow a formula, such as `formula("frame / 24")`. Raises ScriptError for one that cannot be read."""
    from estompe.document.formula import FormulaError, parse

    try:
        parse(text)
    except FormulaError as error:
        raise ScriptError(f"the formula “{text}” cannot be read: {error}") from None
    return Formula(text)
