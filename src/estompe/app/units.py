"""Numbers as people read and type them."""

import math
import re

SUFFIXES = {"length": "m", "degrees": "°", "share": "%", "times": "×", "per second": "/s", "frames": ""}
_TEXT = re.compile(r"^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(m|°|%|×|x|/s|per second|degrees)?\s*$")


def shown(value: float, unit: str) -> str:
    """A number with its unit, short enough for a field."""
    if unit == "share":
        return f"{_plain(value * 100, 1).removesuffix('.0')} %"
    suffix = SUFFIXES.get(unit, "")
    digits = {"degrees": 1, "times": 3}.get(unit, 3)
    text = _plain(value, digits)
    space = "" if suffix in {"°", "", "/s"} else " "
    return f"{text}{space}{suffix}"


def counted(count: int) -> str:
    """How many, in groups of three that stay on one line."""
    return f"{count:,}".replace(",", "\u00a0")


def per_cent(share: float) -> str:
    """A share in whole per cent."""
    return f"{share * 100:.0f}\u00a0%"


def fixed(value: float, digits: int) -> str:
    """A number with so many digits after the point, as a table shows them; zero has no sign."""
    return f"{value:.{digits}f}".replace("-", "−") if round(value, digits) else f"{0:.{digits}f}"


def typed(value: float, unit: str) -> str:
    """A number as it is offered for typing, without its unit and without loss."""
    return repr(round(value * 100, 9) if unit == "share" else round(value, 9)).removesuffix(".0")


def parsed(text: str, unit: str) -> float:
    """The number a person typed. Raises ValueError with words for them."""
    match = _TEXT.match(text)
    if match is None:
        raise ValueError(f"“{text.strip()[:20]}” is not a number")
    value = float(match[1].replace(",", "."))
    if not math.isfinite(value) or abs(value) > 1e9:
        raise ValueError("too large a number")
    return value / 100 if unit == "share" else value


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
