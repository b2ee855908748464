"""The units of settings and of measured values, once for checks, fields, first ranges and the reference."""

from typing import NamedTuple


class Unit(NamedTuple):
    """A unit. words: in tables of the reference; first_range: full and gone of a new layer that measures in it."""

    words: str
    first_range: tuple[float, float] = (1.0, 0.0)


UNITS: dict[str, Unit] = {
    "": Unit(""),
    "length": Unit("scene units", (0.0, 1.0)),
    "degrees": Unit("degrees", (0.0, 90.0)),
    "frames": Unit("frames", (0.0, 24.0)),
    "seconds": Unit("seconds", (0.0, 1.0)),
    "fraction": Unit("%"),
    "display": Unit("% as shown"),
    "times": Unit("times"),
    "per second": Unit("per second"),
}
"""By the name that `setting(unit=...)` and `Source.unit` use."""
