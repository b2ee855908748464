"""Small steps of a sheet towards its metric: extended position-based dynamics.

Macklin, Müller and Chentanez, "XPBD: position-based simulation of compliant constrained dynamics" (2016),
doi:10.1145/2994258.2994272.
"""

import math

import numpy as np

from estompe.kernels.compile import inlined, inner, kernel

_FOLDED = 0.65
"""The share of its flat length under which a fold is never let."""


@inlined
def _gap(places, i, j):
    dx, dy, dz = places[i, 0] - places[j, 0], places[i, 1] - places[j, 1], places[i, 2] - places[j, 2]
    return dx, dy, dz, math.sqrt(dx * dx + dy * dy + dz * dz) + 1e-15


@inlined
def _shift(places, i, j, a, b, dx, dy, dz):
    """Move two points along the line between them."""
    places[i, 0] -= a * dx
    places[i, 1] -= a * dy
    places[i, 2] -= a * dz
    places[j, 0] += b * dx
    places[j, 1] += b * dy
    places[j, 2] += b * dz


@inner
def _to_lengths(places, inverse, ends, rest, give):
    for e in range(ends.shape[0]):
        i, j = ends[e, 0], ends[e, 1]
        both = inverse[i] + inverse[j]
        if both > 0.0:
            dx, dy, dz, d = _gap(places, i, j)
            s = (d - rest[e]) / (d * (both + give))
            _shift(places, i, j, inverse[i] * s, inverse[j] * s, dx, dy, dz)


@inner
def _unfolded(places, inverse, folds, flat, give):
    """Open folds softly, and hard where they are nearly shut."""
    for e in range(folds.shape[0]):
        i, j = folds[e, 0], folds[e, 1]
        both = inverse[i] + inverse[j]
        dx, dy, dz, d = _gap(places, i, j)
        if both > 0.0 and d < flat[e]:
            is_soft = d > _FOLDED * flat[e]
            target = flat[e] if is_soft else _FOLDED * flat[e]
            s = (d - target) / (d * (both + (give if is_soft else 0.0)))
            _shift(places, i, j, inverse[i] * s, inverse[j] * s, dx, dy, dz)


@inner
def _apart(places, inverse, pair, least):
    """Keep points apart, there and back: the lengths of edges may wait, a crossing may not."""
    count = pair.shape[0]
    for turn in range(2):
        for number in range(count):
            m = number if turn == 0 else count - 1 - number
            i, j = pair[m, 0], pair[m, 1]
            both = inverse[i] + inverse[j]
            dx, dy, dz = places[i, 0] - places[j, 0], places[i, 1] - places[j, 1], places[i, 2] - places[j, 2]
            squared = dx * dx + dy * dy + dz * dz
            if both > 0.0 and squared < least[m] * least[m]:
                d = math.sqrt(squared) + 1e-15
                s = (d - least[m]) / (d * both)
                _shift(places, i, j, inverse[i] * s, inverse[j] * s, dx, dy, dz)


@kernel
def relaxed(places, velocities, inverse, ends, rest, folds, flat, pair, least, count, give, fold_give, keep, most):
    """Take small steps, in place.

    Parameters
    ----------
    places, velocities : float64 (n, 3)
        Scene units, and scene units a small step; both are written.
    inverse : float64 (n,)
        Inverse masses, 0 for points that are held.
    ends, rest, folds, flat
        As `estompe.kernels.ruffle.metric.constraints` gives them.
    pair, least
        As `estompe.kernels.ruffle.contact.touching_pairs` gives them.
    count : int
        How many steps.
    give, fold_give : float
        How far edges and folds give.
    keep : float
        The share of a velocity that is kept from step to step.
    most : float
        The farthest that a point moves in one step, scene units.
    """
    n = places.shape[0]
    before = np.empty((n, 3))
    for _ in range(count):
        for i in range(n):
            for axis in range(3):
                before[i, axis] = places[i, axis]
                if inverse[i] > 0.0:
                    places[i, axis] += velocities[i, axis] * keep
        _to_lengths(places, inverse, ends, rest, give)
        _unfolded(places, inverse, folds, flat, fold_give)
        _apart(places, inverse, pair, least)
        for i in range(n):
            dx, dy, dz = places[i, 0] - before[i, 0], places[i, 1] - before[i, 1], places[i, 2] - before[i, 2]
            d = math.sqrt(dx * dx + dy * dy + dz * dz)
            s = most / d if d > most else 1.0
            velocities[i, 0], velocities[i, 1], velocities[i, 2] = dx * s, dy * s, dz * s
            for axis in range(3):
                places[i, axis] = before[i, axis] + velocities[i, axis]
