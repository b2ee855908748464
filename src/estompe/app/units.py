"""Numbers as people read and type them. Lengths are in scene units, called by what a scene unit is in metres."""

import math
import re

from estompe.geometry.colors import display_value, linear_value

_LENGTHS = {0.001: "mm", 0.01: "cm", 1.0: "m", 1000.0: "km", 0.0254: "in", 0.3048: "ft"}
_SUFFIXES = {"degrees": "°", "fraction": "%", "display": "%", "times": "×", "seconds": "s", "per second": "/s"}
_PER_CENT = ("fraction", "display")
_NUMBER = r"([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)"
_TEXT = re.compile(rf"^\s*{_NUMBER}\s*(mm|cm|km|in|ft|m|u|°|%|×|x|/s|per second|s|seconds|degrees)?\s*$")


class _Scene:
    """How many metres a scene unit is, in the scene that the window shows."""

    metres_per_unit = 1.0


def set_metres_per_unit(metres: float) -> None:
    """Lengths are shown and typed for a scene whose unit is so many metres."""
    _Scene.metres_per_unit = metres


def suffix(unit: str) -> str:
    """What stands behind a number of a unit, with its space; "u" for a scene unit without a name."""
    if unit == "length":
        metres = _Scene.metres_per_unit
        return " " + next((name for size, name in _LENGTHS.items() if math.isclose(size, metres, rel_tol=1e-6)), "u")
    text = _SUFFIXES.get(unit, "")
    return text if text in {"°", "", "/s"} else f" {text}"


def named(unit: str) -> str:
    """A unit in words, for help."""
    return suffix(unit).strip() if unit == "length" else "display value" if unit == "display" else unit


def shown(value: float, unit: str) -> str:
    """A number with its unit, short enough for a field."""
    if unit in _PER_CENT:
        return f"{_plain(_as_shown(value, unit) * 100, 1).removesuffix('.0')} %"
    return f"{_plain(value, 1 if unit == 'degrees' else 3)}{suffix(unit)}"


def bare(text: str, unit: str) -> str:
    """A shown number without its unit, where three stand side by side."""
    return text.removesuffix(suffix(unit))


def counted(count: int) -> str:
    """How many, in groups of three that stay on one line."""
    return f"{count:,}".replace(",", "\u00a0")


def bytes_shown(count: int) -> str:
    """A size in memory, in a unit that suits it."""
    for unit, size in (("GB", 1e9), ("MB", 1e6), ("KB", 1e3)):
        if count >= size:
            return f"{count / size:.3g}\u00a0{unit}"
    return f"{count}\u00a0bytes"


def plural(word: str) -> str:
    """The plural of what elements are called."""
    return "copies" if word == "copy" else f"{word}s"


def per_cent(fraction: float) -> str:
    """A fraction in whole per cent."""
    return f"{fraction * 100:.0f}\u00a0%"


def fixed(value: float, digits: int) -> str:
    """A number with so many digits after the point, as a table shows them; zero has no sign."""
    return f"{value:.{digits}f}".replace("-", "−") if round(value, digits) else f"{0:.{digits}f}"


def typed(value: float, unit: str) -> str:
    """A number as it is offered for typing, without its unit and without loss."""
    digits = 4 if unit == "display" else 9
    return repr(
        round(_as_shown(value, unit) * 100, digits) if unit in _PER_CENT else round(value, digits)
    ).removesuffix(".0")


def parsed(text: str, unit: str) -> float:
    """The number a person typed. Raises ValueError with words for them."""
    match = _TEXT.match(text)
    if match is None:
        raise ValueError(f"“{text.strip()[:20]}” is not a number")
    value = float(match[1].replace(",", "."))
    if not math.isfinite(value) or abs(value) > 1e9:
        raise ValueError("too large a number")
    if unit == "length" and match[2] in _LENGTHS.values():
        metres = next(size for size, name in _LENGTHS.items() if name == match[2])
        return float(f"{value * metres / _Scene.metres_per_unit:.9g}")
    if unit == "display":
        return linear_value(value / 100)
    return value / 100 if unit == "fraction" else value


def moved(value: float, by: float, unit: str) -> float:
    """A number that a drag changes by as much as is seen."""
    return linear_value(_as_shown(value, unit) + by) if unit == "display" else value + by


def _as_shown(value: float, unit: str) -> float:
    """A number as people see it: colours are stored as linear light and seen as display values."""
    return display_value(value) if unit == "display" else value


def drag_step(value: float, unit: str, step: float | None) -> float:
    """How much one pixel of a drag changes a number."""
    if step is not None:
        return step
    if unit == "length":
        return 0.005 if abs(value) < 5 else 0.05 if abs(value) < 50 else 0.5
    return 1.0 if unit == "frames" else 0.01


def _plain(value: float, digits: int) -> str:
    text = f"{value:.{digits}f}"
    if digits > 2 and text.endswith("0"):
        text = text[:-1]
    return text.replace("-", "−") if float(text.replace("−", "-")) != 0 else text.lstrip("-−")
