"""Strands that are moved: their roots stay, and their length is kept."""

import numpy as np

from estompe.geometry.geometry import Domain, Geometry
from estompe.kernels.types import Floats


def order_along(geometry: Geometry) -> Floats | None:
    """How far along its strand each point lies, 0 at the root and 1 at the tip, float32 (n,); None where there are no strands."""
    if geometry.topology.lines is None or not geometry.is_parted:
        return None
    values = geometry.attribute(Domain.POINT, "order")
    return None if values is None else np.asarray(values, np.float32).reshape(-1)


def with_length_kept(geometry: Geometry, moved: Floats) -> Floats:
    """Bring moved strands back to their length, from their roots on.

    Parameters
    ----------
    geometry : Geometry
        Strands before they were moved.
    moved : float32 (n, 3)
        Where their points were moved, scene units.

    Returns
    -------
    float32 (n, 3)
        Each line goes the way of the moved one with segments as long as before, and its first point stays where it was. Points
        around a line, such as the edges of ribbons, go with the point of the line beside them.
    """
    lines, order = geometry.topology.lines, order_along(geometry)
    if lines is None or order is None:
        return moved
    counts = np.diff(lines.offsets)
    result = moved.astype(np.float64)
    for count in np.unique(counts):
        chosen = np.flatnonzero(counts == count)
        members = lines.points[lines.offsets[chosen][:, None] + np.arange(count)]
        before, after = geometry.points[members].astype(np.float64), result[members]
        lengths = np.linalg.norm(np.diff(before, axis=1), axis=2, keepdims=True)
        ways = np.diff(after, axis=1)
        ways /= np.maximum(np.linalg.norm(ways, axis=2, keepdims=True), 1e-12)
        result[members[:, 0]] = before[:, 0]
        result[members[:, 1:]] = before[:, :1] + np.cumsum(ways * lengths, axis=1)
    shifted = result - moved
    return np.asarray(moved + shifted[_beside(geometry, order)], np.float32)


def _beside(geometry: Geometry, order: Floats) -> np.ndarray:
    """The point of a line that each point lies beside, int64 (n,): the one of its strand that is as far along."""
    lines = geometry.topology.lines
    assert lines is not None
    of = geometry.pieces.of.astype(np.int64)
    keys = of * 1_000_003 + np.round(order.astype(np.float64) * 1_000_000).astype(np.int64)
    ranked = np.argsort(keys[lines.points], kind="stable")
    places = np.searchsorted(keys[lines.points][ranked], keys)
    return np.asarray(lines.points[ranked[np.minimum(places, len(ranked) - 1)]], np.int64)
