"""The one interpolation that keys and ramps share: step, linear, or a smooth curve that never overshoots.

Smooth slopes are the weighted harmonic means of Fritsch and Butland, "A Method for Constructing Local Monotone Piecewise
Cubic Interpolants" (1984), doi:10.1137/0905021; at both ends the slope is zero, so a curve eases in and out.
"""

from collections.abc import Sequence
from typing import Literal

Interpolation = Literal["step", "linear", "smooth"]
Cubic = tuple[float, float, float, float]
# Points nearer to each other than this stand at one place.
_NEAREST = 1e-9


def slopes(at: Sequence[float], values: Sequence[float]) -> list[float]:
    """Slope of the smooth curve at each point; zero at both ends and wherever the values turn round."""
    out = [0.0] * len(at)
    for i in range(1, len(at) - 1):
        before, after = at[i] - at[i - 1], at[i + 1] - at[i]
        if before <= _NEAREST or after <= _NEAREST:
            continue
        rise, next_rise = (values[i] - values[i - 1]) / before, (values[i + 1] - values[i]) / after
        if rise * next_rise <= 0:
            continue
        first, second = 2 * after + before, after + 2 * before
        out[i] = (first + second) / (first / rise + second / next_rise)
    return out


Tangents = tuple[float | None, float | None]
"""Slopes of one's own on the way into a point and out of it, None where the curve finds its own."""


def cubics(
    at: Sequence[float],
    values: Sequence[float],
    interpolations: Sequence[Interpolation],
    tangents: Sequence[Tangents] = (),
) -> list[Cubic]:
    """One cubic per point, constant first, in the distance from that point; it holds until the next point.

    The last one is constant. at: ascending; interpolations: how each point goes on to the next; tangents: none, or one per point.
    """
    own = slopes(at, values)
    into, out_of = list(own), list(own)
    for i, (before, after) in enumerate(tangents):
        into[i] = own[i] if before is None else before
        out_of[i] = own[i] if after is None else after
    out: list[Cubic] = []
    for i, interpolation in enumerate(interpolations):
        if i == len(at) - 1 or interpolation == "step" or at[i + 1] - at[i] <= _NEAREST:
            out.append((values[i], 0.0, 0.0, 0.0))
            continue
        width = at[i + 1] - at[i]
        rise = (values[i + 1] - values[i]) / width
        if interpolation == "linear":
            out.append((values[i], rise, 0.0, 0.0))
            continue
        out.append(
            (
                values[i],
                out_of[i],
                (3 * rise - 2 * out_of[i] - into[i + 1]) / width,
                (out_of[i] + into[i + 1] - 2 * rise) / width**2,
            )
        )
    return out
