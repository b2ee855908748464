"""Counts pairs of triangles that cross, by exact signs: float64 with an error bound, fractions where that is not enough.

The bound is that of Shewchuk, "Adaptive Precision Floating-Point Arithmetic and Fast Robust Geometric Predicates" (1997),
doi:10.1007/PL00009321.
"""

from fractions import Fraction

import numpy as np
from scipy.spatial import cKDTree


def _signs(a, b, c, d):
    """The signs of the volumes of a b c d, and 2 where float64 does not tell."""
    p, q, r = a - d, b - d, c - d
    parts = [(q[:, (k + 1) % 3] * r[:, (k + 2) % 3], q[:, (k + 2) % 3] * r[:, (k + 1) % 3], p[:, k]) for k in range(3)]
    volume = sum((one - other) * height for one, other, height in parts)
    size = sum((np.abs(one) + np.abs(other)) * np.abs(height) for one, other, height in parts)
    return np.where(volume > 8e-16 * size, 1, np.where(-volume > 8e-16 * size, -1, 2))


def _exact_sign(a, b, c, d):
    rows = [[Fraction(float(u)) - Fraction(float(v)) for u, v in zip(p, d, strict=True)] for p in (a, b, c)]
    volume = sum(
        rows[0][k] * (rows[1][(k + 1) % 3] * rows[2][(k + 2) % 3] - rows[1][(k + 2) % 3] * rows[2][(k + 1) % 3])
        for k in range(3)
    )
    return (volume > 0) - (volume < 0)


def _pierce(p, q, a, b, c):
    """Whether segments pass through triangles, bool (n,)."""
    ends = _signs(a, b, c, p), _signs(a, b, c, q)
    sides = [_signs(p, q, *pair) for pair in ((a, b), (b, c), (c, a))]
    sure = np.all([sign != 2 for sign in (*ends, *sides)], axis=0)
    hit = sure & (ends[0] != ends[1]) & (sides[0] == sides[1]) & (sides[1] == sides[2])
    # Ends surely on one side, or five points of the same coordinate, pass through nothing.
    beside = (ends[0] == ends[1]) & (ends[0] != 2) | (np.ptp(np.stack([p, q, a, b, c]), axis=0) == 0.0).any(axis=1)
    for i in np.flatnonzero(~sure & ~beside):
        s, t = _exact_sign(a[i], b[i], c[i], p[i]), _exact_sign(a[i], b[i], c[i], q[i])
        around = [_exact_sign(p[i], q[i], *pair) for pair in ((a[i], b[i]), (b[i], c[i]), (c[i], a[i]))]
        hit[i] = s * t <= 0 and (s or t) and not min(around) < 0 < max(around)
    return hit


def crossings(points, triangles):
    """Count pairs of triangles that cross, of those that share no point with the edge that would."""
    points = np.asarray(points, np.float64)
    corners = points[triangles]
    middles = corners.mean(axis=1)
    reach = 2.0 * np.linalg.norm(corners - middles[:, None], axis=2).max()
    pairs = cKDTree(middles).query_pairs(reach, output_type="ndarray")
    lowest, highest = corners.min(axis=1), corners.max(axis=1)
    one, other = pairs.T
    pairs = pairs[((lowest[one] <= highest[other]) & (lowest[other] <= highest[one])).all(axis=1)]
    crossing = np.zeros(len(pairs), bool)
    for one, other in ((0, 1), (1, 0)):
        f, g = triangles[pairs[:, one]], triangles[pairs[:, other]]
        for k in range(3):
            p, q = f[:, k], f[:, (k + 1) % 3]
            apart = ~((g == p[:, None]) | (g == q[:, None])).any(axis=1) & ~crossing
            own = g[apart]
            crossing[apart] |= _pierce(
                points[p[apart]], points[q[apart]], points[own[:, 0]], points[own[:, 1]], points[own[:, 2]]
            )
    return int(crossing.sum())
