"""The way over a surface: how far each element lies from where it starts, along the surface at rest."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.samples import converted, samples_of
from estompe.geometry.transforms import Matrix
from estompe.kernels.arrival import arrival, unfolded
from estompe.kernels.surface import nearest_on_surface
from estompe.kernels.topology import corners_of_points
from estompe.kernels.types import Floats, Indices, frozen

FAR = np.float32(1e6)
"""How far what the way never comes to is, scene units: farther than anything."""
_HALF = 0.5


class _Unfolded(NamedTuple):
    """A mesh at rest, as the marching wants it. places: float64 (n, 3), scene units."""

    places: Matrix
    triangles: Indices
    lengths: Matrix
    starts: Indices
    around: Indices

    def arrays(self) -> tuple[np.ndarray, ...]:
        """What it holds."""
        return tuple(self)


def from_strength(geometry: Geometry, domain: Domain, linear: Matrix, strength: Floats, speed: Floats | None) -> Floats:
    """The way from where a strength is over one half, between points too.

    Parameters
    ----------
    geometry : Geometry
        The mesh or copies.
    domain : Domain
        Which elements.
    linear : float64 (3, 3)
        The shape's rotation and scale.
    strength : float32 (n,)
        Of the elements; full where the way starts.
    speed : float32 (n,) or None
        0..1 for each element: ways through slow ones count as longer, at 0 there is none.

    Returns
    -------
    float32 (n,)
        Scene units; 0 where it starts, `FAR` where it never comes.
    """
    if not _has_surface(geometry, domain):
        return _between_elements(geometry, domain, linear, np.where(strength > _HALF, 0.0, np.inf), speed)
    mesh = _unfolded(geometry, linear)
    values = converted(geometry, strength, domain, Domain.POINT).astype(np.float64)
    first = _first_times(mesh.places, geometry.topology.triangles, values)
    return _marched(geometry, domain, mesh, first, speed, is_round=False)


def from_place(geometry: Geometry, domain: Domain, linear: Matrix, place: Matrix, speed: Floats | None) -> Floats:
    """The way from the place of the surface that is nearest to another, as the surface is now. place: float64 (3,), world.

    The other parameters and the result are those of `from_strength`.
    """
    if not _has_surface(geometry, domain):
        distance = np.linalg.norm(samples_of(geometry, domain).positions - place, axis=1)
        first = np.full(len(distance), np.inf)
        if len(first):
            first[int(np.argmin(distance))] = 0.0
        return _between_elements(geometry, domain, linear, first, speed)
    mesh = _unfolded(geometry, linear)
    found = nearest_on_surface(np.asarray(place, np.float32).reshape(1, 3), geometry.tree)
    corners = geometry.topology.triangles[int(found.triangle[0])]
    v, w = (float(weight) for weight in found.weights[0])
    start = np.array([1.0 - v - w, v, w]) @ mesh.places[corners]
    first = np.full(len(mesh.places), np.inf)
    first[corners] = np.linalg.norm(mesh.places[corners] - start, axis=1)
    return _marched(geometry, domain, mesh, first, speed, is_round=True)


def beside(
    geometry: Geometry, domain: Domain, linear: Matrix, strength: Floats, caught: Matrix, slowness: Matrix
) -> Matrix:
    """When a front that starts where a strength is over one half comes to elements right beside that, float64 (n,), seconds.

    caught: when elements within were caught; slowness: seconds a scene unit at each element. The border runs straight through
    each triangle, where the strengths say. Other parameters are those of `from_strength`; infinite for all other elements.
    """
    times = np.full(len(caught), np.inf)
    if domain is not Domain.POINT or not geometry.topology.faces:
        return times
    mesh, values = _unfolded(geometry, linear), strength.astype(np.float64)
    inside, triangles = values > _HALF, geometry.topology.triangles
    cut = triangles[inside[triangles].any(axis=1) & ~inside[triangles].all(axis=1)]
    if not len(cut):
        return times
    since = np.where(inside[cut], caught[cut], np.inf).min(axis=1)
    steepness = _steepness(mesh.places[cut], values[cut])
    for corner in range(3):
        points = cut[:, corner]
        outside = ~inside[points]
        away = (_HALF - values[points[outside]]) / steepness[outside]
        np.minimum.at(times, points[outside], since[outside] + away * slowness[points[outside]])
    return times


def followed(
    geometry: Geometry, domain: Domain, linear: Matrix, caught: Matrix, slowness: Matrix, now: float, until: float
) -> Matrix:
    """Follow a front over the surface at rest for some time, from where it is.

    Parameters
    ----------
    geometry, domain, linear
        As for `from_strength`.
    caught : float64 (n,)
        When elements were caught so far, seconds; infinite for the others.
    slowness : float64 (n,)
        Seconds a scene unit at each element; infinite where the front never comes.
    now, until : float
        The time up to which `caught` is final, and up to which the front is followed.

    Returns
    -------
    float64 (n,)
        When elements are caught, infinite where that is after `until`. It is the same however the time is cut into steps.
    """
    if domain is Domain.POINT and geometry.topology.faces:
        mesh = _unfolded(geometry, linear)
        settled = _left_behind(mesh, caught <= now)
        times = arrival(mesh.triangles, mesh.lengths, mesh.starts, mesh.around, caught, slowness, False, settled, until)
    else:
        times = _followed_between(geometry, domain, linear, caught, slowness)
    found: Matrix = np.where(times <= until, times, np.inf)
    return found


def _left_behind(mesh: _Unfolded, caught: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Points that were caught, with all around them."""
    open_ = ~caught[mesh.triangles].all(axis=1)
    behind: NDArray[np.bool_] = caught.copy()
    behind[mesh.triangles[open_].reshape(-1)] = False
    return behind


def _followed_between(geometry: Geometry, domain: Domain, linear: Matrix, caught: Matrix, slowness: Matrix) -> Matrix:
    """The same from element to element next to it, by their middles at rest."""
    from scipy.sparse import csr_matrix  # slow to import, and few need it
    from scipy.sparse.csgraph import dijkstra

    samples = samples_of(geometry, domain)
    count, begun = len(samples), np.flatnonzero(np.isfinite(caught))
    if not len(begun):
        return caught
    places = samples.rest.astype(np.float64) @ linear.T
    starts, b = samples.neighbours
    a = np.repeat(np.arange(count), np.diff(starts))
    times = np.linalg.norm(places[a] - places[b], axis=1) * 0.5 * (slowness[a] + slowness[b])
    open_ = np.isfinite(times)
    # One more node, from which each element that was caught is as far as it was caught after the first.
    first = float(caught[begun].min())
    heads = np.concatenate([a[open_], np.full(len(begun), count)])
    tails = np.concatenate([b[open_], begun])
    costs = np.concatenate([times[open_], caught[begun] - first])
    graph = csr_matrix((np.maximum(costs, 1e-12), (heads, tails)), (count + 1, count + 1))
    found = dijkstra(graph, directed=False, indices=count)[:count] + first
    return np.minimum(found, caught)  # type: ignore[no-any-return]


def _has_surface(geometry: Geometry, domain: Domain) -> bool:
    return domain is not Domain.PIECE and geometry.topology.faces > 0


def _unfolded(geometry: Geometry, linear: Matrix) -> _Unfolded:
    """The mesh at rest with its blunt corners split, kept with the rest: it serves all frames."""
    topology = geometry.topology

    def make() -> _Unfolded:
        places = geometry.rest.astype(np.float64) @ linear.T
        triangles, lengths = unfolded(places, topology.triangles)
        starts, corners = corners_of_points(np.ascontiguousarray(triangles.reshape(-1)), len(places))
        around = frozen((corners // 3).astype(np.int32))
        return _Unfolded(frozen(places), frozen(triangles), frozen(lengths), frozen(starts), around)

    return geometry.at_rest.derived(("unfolded", topology, linear.tobytes()), make)


def _marched(
    geometry: Geometry, domain: Domain, mesh: _Unfolded, first: Matrix, speed: Floats | None, *, is_round: bool
) -> Floats:
    slowness = None
    if speed is not None:
        slowness = _slowness(converted(geometry, speed, domain, Domain.POINT))
    times = arrival(mesh.triangles, mesh.lengths, mesh.starts, mesh.around, first, slowness, is_round)
    return converted(geometry, _finite(times), Domain.POINT, domain)


def _slowness(speed: Floats) -> Matrix:
    fast = np.clip(speed.astype(np.float64), 0.0, 1.0)
    made: Matrix = np.divide(1.0, fast, out=np.full(len(fast), np.inf), where=fast > 0.0)
    return made


def _finite(times: Matrix) -> Floats:
    return np.minimum(times, float(FAR)).astype(np.float32)


def _first_times(places: Matrix, triangles: Indices, values: Matrix) -> Matrix:
    """When points are reached from where values are over one half: at once inside, and beside it as far as the border is.

    The border runs straight through each triangle, where its values say.
    """
    inside = values > _HALF
    first = np.where(inside, 0.0, np.inf)
    cut = triangles[inside[triangles].any(axis=1) & ~inside[triangles].all(axis=1)]
    if not len(cut):
        return first
    steepness = _steepness(places[cut], values[cut])
    for corner in range(3):
        points = cut[:, corner]
        outside = ~inside[points]
        away = (_HALF - values[points[outside]]) / steepness[outside]
        np.minimum.at(first, points[outside], away)
    return first


def _steepness(corners: Matrix, values: Matrix) -> Matrix:
    """How fast values that run straight over triangles change, per scene unit. corners: (t, 3, 3); values: (t, 3)."""
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    a, b = values[:, 1] - values[:, 0], values[:, 2] - values[:, 0]
    uu, uv, vv = (u * u).sum(1), (u * v).sum(1), (v * v).sum(1)
    area = np.maximum(uu * vv - uv * uv, 1e-300)
    squared = (a * a * vv - 2 * a * b * uv + b * b * uu) / area
    made: Matrix = np.sqrt(np.maximum(squared, 1e-30))
    return made


def _between_elements(
    geometry: Geometry, domain: Domain, linear: Matrix, first: Matrix, speed: Floats | None
) -> Floats:
    """The way from element to element next to it, by their middles at rest, where there is no surface between them."""
    from scipy.sparse import csr_matrix  # slow to import, and few need it
    from scipy.sparse.csgraph import dijkstra

    samples = samples_of(geometry, domain)
    count = len(samples)
    begun = np.flatnonzero(np.isfinite(first))
    if not len(begun):
        return np.full(count, FAR, np.float32)
    places = samples.rest.astype(np.float64) @ linear.T
    a, b = samples.pairs[:, 0], samples.pairs[:, 1]
    lengths = np.linalg.norm(places[a] - places[b], axis=1)
    if speed is not None:
        slowness = _slowness(speed)
        lengths = lengths * 0.5 * (slowness[a] + slowness[b])
    open_ = np.isfinite(lengths)
    graph = csr_matrix((np.maximum(lengths[open_], 1e-12), (a[open_], b[open_])), (count, count))
    return _finite(dijkstra(graph, directed=False, indices=begun, min_only=True))
