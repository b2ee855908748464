"""What kinds return, checked where their stages are run, so that nonsense is a problem at its card and not a broken frame."""

from typing import Any

import numpy as np

from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.geometry.geometry import Attributes
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
    if isinstance(made, Copies) and not made.is_real:
        _check_copies(made)
        if not np.isfinite(made.positions).all():
            raise CannotEvaluateError("it made positions that are no numbers, so it is skipped: use smaller amounts")
        return made
    points = made.points
    if points.dtype != np.float32 or points.ndim != 2 or points.shape[1:] != (3,):
        raise CannotEvaluateError(f"it returned points as {points.dtype} {points.shape}: its kind has a mistake")
    if not isinstance(before, Copies) and made.topology is before.topology and len(points) != len(before.points):
        raise CannotEvaluateError("it returned another number of points for the same faces: its kind has a mistake")
    _check_lengths(made, before)
    # A sum of squares shows what is not finite at a fraction of the cost; where it overflows, each is looked at.
    if points is not before.points and not _is_finite(points) and not np.isfinite(points).all():
        raise CannotEvaluateError("it made positions that are no numbers, so it is skipped: use smaller amounts")
    return made


def checked_source(made: object) -> Geometry:
    """What a shape is made from, if its arrays agree. Raises CannotEvaluateError."""
    if not isinstance(made, Geometry):
        raise CannotEvaluateError(f"it returned {type(made).__name__}, not a geometry: its kind has a mistake")
    if isinstance(made, Copies) and not made.is_real:
        _check_copies(made)
    else:
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
    """Check the length of each array against its elements; arrays shared with the geometry before are known to be sound."""
    topology = made.topology
    same = before is not None and not isinstance(before, Copies) and topology is before.topology
    if same and before is not None and made.attributes is before.attributes and made.at_rest is before.at_rest:
        return
    if not same and not topology.is_sound:
        raise CannotEvaluateError("it returned faces that name points that do not exist: its kind has a mistake")
    points = len(made.points)
    if points != topology.points or len(made.rest) != points:
        raise CannotEvaluateError(
            f"it returned {points:,} points for faces over {topology.points:,} and {len(made.rest):,} at rest: "
            "its kind has a mistake"
        )
    counts = {
        Domain.POINT: points,
        Domain.CORNER: len(topology.corners),
        Domain.FACE: topology.faces,
        Domain.PIECE: len(topology.pieces),
        Domain.WHOLE: 1,
    }
    _check_attributes(made.attributes, counts)


def _check_copies(made: Copies) -> None:
    count = len(made.positions)
    for array in (made.form, made.axes, made.scales, made.ids, made.rank, made.shown, made.rest_positions.positions):
        if len(array) != count:
            raise CannotEvaluateError(f"it returned {len(array):,} values for {count:,} copies: its kind has a mistake")
    _check_attributes(made.piece_attributes, {Domain.PIECE: count, Domain.WHOLE: 1})


def _check_attributes(attributes: Attributes, counts: dict[Domain, int]) -> None:
    for (domain, name), values in attributes.items():
        if len(values) != counts[domain]:
            raise CannotEvaluateError(f"it left “{name}” with {len(values)} values: its kind has a mistake")
