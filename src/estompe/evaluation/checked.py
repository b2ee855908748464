"""What kinds return, checked where their stages are run, so that nonsense is a problem at its card and not a broken frame."""

from typing import Any

import numpy as np

from estompe.document.context import CannotEvaluateError
from estompe.geometry import Geometry
from estompe.geometry.copies import Copies
from estompe.kernels.types import Floats

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


def checked_geometry(kind: Any, made: object, before: Geometry) -> Geometry:
    """What an effect made of a geometry, if it is one with finite points. Raises CannotEvaluateError."""
    if made is before:
        return before
    if not isinstance(made, Geometry):
        raise CannotEvaluateError(f"it returned {type(made).__name__}, not a geometry: its kind has a mistake")
    if isinstance(made, Copies) and not made.is_real:
        if not np.isfinite(made.positions).all():
            raise CannotEvaluateError("it made positions that are no numbers, so it is skipped: use smaller amounts")
        return made
    points = made.points
    if points.dtype != np.float32 or points.ndim != 2 or points.shape[1:] != (3,):
        raise CannotEvaluateError(f"it returned points as {points.dtype} {points.shape}: its kind has a mistake")
    if not isinstance(before, Copies) and made.topology is before.topology and len(points) != len(before.points):
        raise CannotEvaluateError("it returned another number of points for the same faces: its kind has a mistake")
    # A sum of squares shows what is not finite at a fraction of the cost; where it overflows, each is looked at.
    if points is not before.points and not _is_finite(points) and not np.isfinite(points).all():
        raise CannotEvaluateError("it made positions that are no numbers, so it is skipped: use smaller amounts")
    if strict_everywhere or _foreign(kind):
        _check_attributes(made)
    return made


def _is_finite(points: Floats) -> bool:
    flat = points.reshape(-1)
    return bool(np.isfinite(np.dot(flat, flat)))


def _check_attributes(made: Geometry) -> None:
    for (domain, name), values in made.attributes.items():
        if len(values) != made.count(domain):
            raise CannotEvaluateError(f"it left “{name}” with {len(values)} values: its kind has a mistake")
