"""What kinds return, checked where their stages are run, so that nonsense is a problem at its card and not a broken frame."""

from typing import Any

import numpy as np

from estompe.geometry import Geometry, GeometryError
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError

strict_everywhere = False
"""Tests set this, so that kinds of our own are checked as closely as those of plug-ins."""


def _foreign(kind: Any) -> bool:
    return not type(kind).__module__.startswith("estompe.")


def checked_values(kind: Any, values: Any, count: int) -> Floats:
    """A source's values, if they are float32, one per element, and finite. Raises CannotEvaluateError."""
    if type(values) is not np.ndarray or values.dtype != np.float32 or values.shape != (count,):
        form = f"{getattr(values, 'dtype', type(values).__name__)} {getattr(values, 'shape', '')}"
        raise CannotEvaluateError(f"it returned {form}, not float32 ({count},): its kind has a mistake")
    if (strict_everywhere or _foreign(kind)) and not np.isfinite(values).all():
        raise CannotEvaluateError("it returned values that are no numbers: its kind has a mistake")
    return values


def checked_geometry(made: object, before: Geometry) -> Geometry:
    """What an effect made of a geometry, if its arrays agree and its points are finite. Raises CannotEvaluateError."""
    if made is before:
        return before
    if not isinstance(made, Geometry):
        raise CannotEvaluateError(f"it returned {type(made).__name__}, not a geometry: its kind has a mistake")
    _check_lengths(made, before)
    places = made.placed_elements
    if places.dtype != np.float32 or places.ndim != 2 or places.shape[1:] != (3,):
        raise CannotEvaluateError(f"it returned points as {places.dtype} {places.shape}: its kind has a mistake")
    same = before.component == made.component and places is before.placed_elements
    # A sum of squares shows what is not finite at a fraction of the cost; where it overflows, each is looked at.
    if not same and not _is_finite(places) and not np.isfinite(places).all():
        raise CannotEvaluateError("it made positions that are no numbers, so it is skipped: use smaller amounts")
    return made


def checked_source(made: object) -> Geometry:
    """What a shape is made from, if its arrays agree. Raises CannotEvaluateError."""
    if not isinstance(made, Geometry):
        raise CannotEvaluateError(f"it returned {type(made).__name__}, not a geometry: its kind has a mistake")
    _check_lengths(made, None)
    return made


def check_strength(values: Floats, count: int) -> None:
    """Raise CannotEvaluateError where strengths are not one per element."""
    if len(values) != count:
        raise CannotEvaluateError(f"its strength has {len(values):,} values for {count:,} elements, so it is skipped")


def _is_finite(points: Floats) -> bool:
    flat = points.reshape(-1)
    return bool(np.isfinite(np.dot(flat, flat)))


def _check_lengths(made: Geometry, before: Geometry | None) -> None:
    try:
        made.check_lengths(before)
    except GeometryError as error:
        raise CannotEvaluateError(f"{error}: its kind has a mistake") from None
