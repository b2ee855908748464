"""Places inside a closed mesh, in an order of which every beginning is even."""

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Geometry
from estompe.geometry.pieces import Ids
from estompe.geometry.random import random_of
from estompe.kernels.scatter import ranked
from estompe.kernels.sides import signs
from estompe.kernels.surface import nearest_on_surface
from estompe.kernels.types import Floats
from estompe.kernels.volumes.enclosed import enclosed_volume

_CANDIDATES = 20
_LEAST_DENSE = 0.02
"""How dense places are where a density is 0, of where it is 1."""
_MOST_TRIED = 4_000_000


def seeds_inside(
    mesh: Geometry, count: int, seed: int, even: bool, density: Floats | None
) -> tuple[NDArray[np.float64], Ids, Floats]:
    """Places inside a closed mesh at rest: positions, float64 (k, 3), ids, int64 (k,), and ranks, float32 (k,).

    even: far from each other, else purely random; density: float32 (points,), 0..1, how dense they are near each point, or
    None for the same everywhere. Fewer than asked for where the mesh is too thin for them.
    """
    still = Geometry(mesh.rest, mesh.topology, {}, mesh.at_rest)
    low, high = still.bounds
    volume = abs(enclosed_volume(still.points, mesh.topology.triangles))
    box = float(np.prod(np.maximum(high.astype(np.float64) - low, 1e-9)))
    share = max(volume / box, 1e-3)
    tries = int(min(_CANDIDATES * count / share, _MOST_TRIED)) + 64
    ids = np.arange(tries, dtype=np.int64)
    numbers = np.stack([random_of(ids, seed + 7919 * k) for k in range(3)], axis=1).astype(np.float64)
    places = low + numbers * (high.astype(np.float64) - low)
    found = nearest_on_surface(places.astype(np.float32), still.tree)
    topology = mesh.topology
    body = still.points, topology.triangles, topology.triangle_edges, still.outwards
    inside = signs(places.astype(np.float32), *body, found) < 0
    if density is not None:
        corners = topology.triangles[found.triangle]
        shares = np.concatenate([1.0 - found.weights.sum(axis=1, keepdims=True), found.weights], axis=1)
        near = np.clip((density[corners] * shares).sum(axis=1), 0.0, 1.0)
        # Ids decide which seeds are dropped, so that another density moves none of the others.
        inside &= random_of(ids, seed + 31_337) < _LEAST_DENSE + (1.0 - _LEAST_DENSE) * near
    chosen = np.flatnonzero(inside)
    if even and density is None:
        order, _ = ranked(np.ascontiguousarray(places[chosen]), max(volume, 1e-12), 3, count, 0.0)
        chosen = chosen[order]
    chosen = chosen[:count]
    # The first of the order are the last to go: any share of pieces that is left is even.
    rank = 1.0 - (np.arange(len(chosen)) + 0.5) / max(len(chosen), 1)
    return np.ascontiguousarray(places[chosen]), ids[chosen], rank.astype(np.float32)
