"""Shapes made from nothing: sphere, grid, box, turned profiles, torus, disc, polyhedra. All have UVs and outward normals."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry, check_made
from estompe.geometry.shading import AUTHORED
from estompe.kernels.types import Floats

UV = (Domain.CORNER, "uv")


def sphere(radius: float, divisions: int) -> Geometry:
    """A sphere of even quads, from a cube whose faces are divided at equal angles.

    radius: scene units; divisions: quads along one edge of the cube, at least 1.
    """
    cube = box((2.0, 2.0, 2.0), divisions, hard_edges=False)
    # Equal angles instead of equal steps keep the quads' sizes within a factor of 1.4.
    warped = np.tan(cube.points.astype(np.float64) * (np.pi / 4))
    points = warped / np.linalg.norm(warped, axis=1, keepdims=True) * radius
    return Geometry(points.astype(np.float32), cube.topology, cube.attributes)


def grid(width: float, depth: float, columns: int, rows: int) -> Geometry:
    """A flat sheet facing up (+Y), centred on the origin. width along X and depth along Z, scene units."""
    check_made(columns * rows, "take fewer columns or rows")
    u, v = np.linspace(0.0, 1.0, columns + 1), np.linspace(0.0, 1.0, rows + 1)
    uu, vv = np.meshgrid(u, v)
    points = np.stack([(uu - 0.5) * width, np.zeros_like(uu), (0.5 - vv) * depth], axis=-1).reshape(-1, 3)
    return _sheet(points, uu.shape[1], uu.shape[0], np.stack([uu, vv], axis=-1).reshape(-1, 2))


def box(size: tuple[float, float, float], divisions: int, hard_edges: bool = True) -> Geometry:
    """A closed box centred on the origin. size: full widths, scene units; divisions: quads along each edge."""
    n = divisions
    check_made(6 * n * n, "take fewer divisions")
    steps = np.arange(n + 1)
    a, b = np.meshgrid(steps, steps)
    quads: list[NDArray[Any]] = []
    uvs, facing = [], np.zeros((6, 3), np.float32)
    for axis in range(3):
        for end in (0, n):
            facing[len(quads), axis] = 1.0 if end else -1.0
            lattice = np.empty((n + 1, n + 1, 3), np.int64)
            lattice[..., axis] = end
            # Swapping the two other axes on the low side keeps every face's corners counter-clockwise seen from outside.
            first, second = ((axis + 1) % 3, (axis + 2) % 3) if end else ((axis + 2) % 3, (axis + 1) % 3)
            lattice[..., first], lattice[..., second] = a, b
            codes = (lattice[..., 0] * (n + 1) + lattice[..., 1]) * (n + 1) + lattice[..., 2]
            quads.append(_quads(codes))
            uvs.append(_quads(np.stack([a, b], axis=-1) / n))
    codes, corners = np.unique(np.concatenate(quads).reshape(-1), return_inverse=True)
    lattice = np.stack([codes // (n + 1) ** 2, codes // (n + 1) % (n + 1), codes % (n + 1)], axis=1)
    points = (lattice / n - 0.5) * np.asarray(size)
    uv = np.concatenate(uvs).reshape(-1, 2).astype(np.float32)
    attributes = {UV: uv}
    if hard_edges:
        attributes[Domain.CORNER, AUTHORED] = np.repeat(facing, 4 * n * n, axis=0)
    return Geometry.from_faces(points, corners, np.arange(0, len(corners) + 1, 4), attributes)


def tube(radius: float, height: float, around: int, along: int) -> Geometry:
    """An open tube about Y, standing on the origin. around, along: quads each way."""
    return lathe(np.array([[radius, 0.0], [radius, height]]), around, along)


def lathe(profile: NDArray[np.float64], around: int, along: int) -> Geometry:
    """A drawn profile turned about Y; ends on the axis are closed with triangles.

    profile: float64 (k, 2), radius and height, scene units, from the bottom up, k at least 2; around: quads about the axis;
    along: quads along the profile, evenly spaced on a smooth curve through its points (Catmull and Rom, "A Class of Local
    Interpolating Splines", 1974, doi:10.1016/B978-0-12-079050-0.50020-5). The point attribute "order" runs 0..1 along it.
    """
    order = np.linspace(0.0, 1.0, along + 1)
    return _turned(_even(_smooth(profile), order), order, around)


def turned(corners: NDArray[np.float64], bevel: float, around: int, along: int) -> Geometry:
    """A profile with corners turned about Y, as `lathe`: closed where it begins and ends on the axis.

    corners: float64 (k, 2), radius and height, scene units, from the bottom up; bevel: radius of the arcs at inner corners, whose
    ends stay within half of the shorter side; along: quads along the profile, at least one for each side.
    """
    curve = _divided(_bevelled(corners, bevel), along)
    lengths = np.linalg.norm(np.diff(curve, axis=0), axis=1)
    order = np.concatenate([[0.0], np.cumsum(lengths)]) / max(float(lengths.sum()), 1e-30)
    return _turned(curve, order, around)


def torus(radius: float, thickness: float, around: int, along: int) -> Geometry:
    """A closed ring about Y. radius: to the middle of the tube; thickness: the tube's radius; along: quads about the tube."""
    check_made(around * along, "take fewer around or along")
    big = np.linspace(0.0, 2 * np.pi, around, endpoint=False)[None, :]
    small = np.linspace(0.0, 2 * np.pi, along, endpoint=False)[:, None]
    out = radius + thickness * np.cos(small)
    rings = np.stack([out * np.cos(big), thickness * np.sin(small) + 0 * big, -out * np.sin(big)], axis=-1)
    index = np.arange(along * around).reshape(along, around)
    wrapped = np.concatenate([index, index[:1]])
    wrapped = np.concatenate([wrapped, wrapped[:, :1]], axis=1)
    turns, ways = np.meshgrid(np.linspace(0.0, 1.0, around + 1), np.linspace(0.0, 1.0, along + 1))
    corners, uv = _quads(wrapped).reshape(-1), _quads(np.stack([turns, ways], axis=-1)).reshape(-1, 2)
    order = (Domain.POINT, "order"), np.repeat(np.arange(along) / along, around).astype(np.float32)
    attributes = dict([(UV, uv.astype(np.float32)), order])
    return Geometry.from_faces(rings.reshape(-1, 3), corners, np.arange(0, len(corners) + 1, 4), attributes)


def disc(radius: float, divisions: int) -> Geometry:
    """A flat round sheet of even quads that faces up (+Y).

    A square grid is brought onto the disc ring by ring (Shirley and Chiu, "A Low Distortion Map Between Disk and Square", 1997,
    doi:10.1080/10867651.1997.10487479).
    """
    square = grid(2.0, 2.0, divisions, divisions)
    x, z = square.points[:, 0].astype(np.float64), square.points[:, 2].astype(np.float64)
    ring = np.maximum(np.abs(x), np.abs(z))
    first = np.abs(x) >= np.abs(z)
    with np.errstate(divide="ignore", invalid="ignore"):
        angle = np.where(first, np.pi / 4 * z / x, np.pi / 2 - np.pi / 4 * x / z)
    angle = np.nan_to_num(angle)
    signed = np.where(first, x, z)
    points = np.stack([signed * np.cos(angle), 0 * ring, signed * np.sin(angle)], axis=1) * radius
    return Geometry(points.astype(np.float32), square.topology, square.attributes)


def polyhedron(corners: NDArray[np.float64], faces: tuple[tuple[int, ...], ...], divisions: int) -> Geometry:
    """A closed body with flat faces, each divided into even quads, with hard edges.

    corners: float64 (k, 3); faces: numbers of corners, counter-clockwise seen from outside; divisions: quads along half an edge.
    """
    n = divisions
    check_made(sum(map(len, faces)) * n * n, "take fewer divisions")
    steps = np.linspace(0.0, 1.0, n + 1)
    u, v = np.meshgrid(steps, steps)
    quads, uvs, normals = [], [], []
    for face in faces:
        ring = corners[list(face)]
        middle, between = ring.mean(axis=0), (ring + np.roll(ring, -1, axis=0)) / 2
        normal = np.cross(ring[1] - ring[0], ring[2] - ring[0])
        across = (ring[1] - ring[0]) / np.linalg.norm(ring[1] - ring[0])
        up = np.cross(normal / np.linalg.norm(normal), across)
        for k in range(len(face)):
            kite = np.stack([ring[k], between[k], middle, between[k - 1]])
            weights = np.stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v], axis=-1)
            lattice = weights @ kite
            quads.append(_quads(lattice))
            uvs.append(_quads(np.stack([(lattice - middle) @ across, (lattice - middle) @ up], axis=-1)))
        normals.append(np.repeat((normal / np.linalg.norm(normal))[None], 4 * len(face) * n * n, axis=0))
    places = np.concatenate(quads).reshape(-1, 3)
    # Places of faces beside each other differ by rounding.
    grain = 1e-9 * float(np.abs(corners).max())
    _, first, numbers = np.unique(
        np.round(places / grain).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    uv = np.concatenate(uvs).reshape(-1, 2)
    uv = (uv - uv.min(axis=0)) / max(float(np.ptp(uv, axis=0).max()), 1e-30)
    attributes = {
        UV: uv.astype(np.float32),
        (Domain.CORNER, AUTHORED): np.concatenate(normals).astype(np.float32),
    }
    return Geometry.from_faces(places[first], numbers.reshape(-1), np.arange(0, len(places) + 1, 4), attributes)


def _bevelled(corners: NDArray[np.float64], bevel: float, steps: int = 6) -> NDArray[np.float64]:
    """A polyline whose inner corners are arcs of a radius, as far as their sides are long enough."""
    if bevel <= 0.0:
        return corners
    points = [corners[:1]]
    for before, corner, after in zip(corners, corners[1:], corners[2:], strict=False):
        into, out = before - corner, after - corner
        lengths = float(np.linalg.norm(into)), float(np.linalg.norm(out))
        if min(lengths) < 1e-12:
            continue
        into, out = into / lengths[0], out / lengths[1]
        half = 0.5 * float(np.arccos(np.clip(into @ out, -1.0, 1.0)))
        reach = min(bevel / max(np.tan(half), 1e-9), 0.5 * min(lengths))
        t = np.linspace(0.0, 1.0, steps + 1)[:, None]
        # A quadratic curve between both sides: within a fiftieth of the arc for right angles.
        points.append((1 - t) ** 2 * (corner + reach * into) + 2 * t * (1 - t) * corner + t**2 * (corner + reach * out))
    return np.concatenate([*points, corners[-1:]])


def _divided(polyline: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """A polyline with about so many even sides, whose corners all stay."""
    lengths = np.linalg.norm(np.diff(polyline, axis=0), axis=1)
    parts = np.maximum(np.round(count * lengths / max(float(lengths.sum()), 1e-30)).astype(int), 1)
    sides = [
        begin + (end - begin) * np.arange(part)[:, None] / part
        for begin, end, part, length in zip(polyline, polyline[1:], parts, lengths, strict=False)
        if length > 1e-12
    ]
    return np.concatenate([*sides, polyline[-1:]])


def _turned(curve: NDArray[np.float64], order: NDArray[np.float64], around: int) -> Geometry:
    check_made(around * (len(curve) - 1), "take fewer around or along")
    angle = np.linspace(0.0, 2 * np.pi, around, endpoint=False)
    rings = np.stack([np.outer(curve[:, 0], np.cos(angle)), np.repeat(curve[:, 1:], around, axis=1),
                      np.outer(curve[:, 0], -np.sin(angle))], axis=-1)  # fmt: skip
    index = np.arange(rings.shape[0] * around).reshape(rings.shape[0], around)
    wrapped = np.concatenate([index, index[:, :1]], axis=1)
    turns, heights = np.meshgrid(np.linspace(0.0, 1.0, around + 1), order)
    quads, uv = _quads(wrapped), _quads(np.stack([turns, heights], axis=-1))
    points, orders = rings.reshape(-1, 3), np.repeat(order, around)
    return _merge_poles(points, orders, quads, uv, curve[:, 0], around)


def _merge_poles(
    points: NDArray[np.float64],
    orders: NDArray[np.float64],
    quads: NDArray[np.int64],
    uv: NDArray[np.float64],
    radii: NDArray[np.float64],
    around: int,
) -> Geometry:
    """Rings without radius become one point, and their quads triangles."""
    closed = [ring for ring in (0, len(radii) - 1) if radii[ring] <= 1e-9]
    kept = np.ones(len(points), np.bool_)
    for ring in closed:
        kept[ring * around + 1 : (ring + 1) * around] = False
    # What is not kept follows the first point of its ring at once, so it gets that one's number.
    corners = (np.cumsum(kept, dtype=np.int32) - np.int32(1))[quads]
    double = np.zeros(corners.shape, np.bool_)
    for row in (slice(0, around), slice(len(quads) - around, None)) if closed else ():
        double[row] = corners[row] == np.roll(corners[row], 1, axis=1)
    offsets = np.concatenate([[0], np.cumsum(4 - double.sum(axis=1))])
    attributes = {
        UV: uv.astype(np.float32)[~double],
        (Domain.POINT, "order"): orders[kept].astype(np.float32),
    }
    return Geometry.from_faces(points[kept], corners[~double], offsets, attributes)


def _smooth(profile: NDArray[np.float64], steps: int = 32) -> NDArray[np.float64]:
    """A dense polyline on the Catmull-Rom curve through the profile's points; straight for two points."""
    if len(profile) == 2:
        return profile
    padded = np.concatenate([2 * profile[:1] - profile[1:2], profile, 2 * profile[-1:] - profile[-2:-1]])
    t = np.linspace(0.0, 1.0, steps, endpoint=False)[:, None]
    pieces = []
    for i in range(1, len(padded) - 2):
        a, b, c, d = padded[i - 1 : i + 3]
        pieces.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3))
    curve = np.concatenate([*pieces, profile[-1:]])
    curve[:, 0] = np.maximum(curve[:, 0], 0.0)
    return curve


def _even(curve: NDArray[np.float64], order: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points on a polyline at the given fractions of its length."""
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(curve, axis=0), axis=1))])
    at = order * length[-1]
    return np.stack([np.interp(at, length, curve[:, 0]), np.interp(at, length, curve[:, 1])], axis=1)


def _quads(lattice: NDArray[Any]) -> NDArray[Any]:
    """The quads of a lattice of values (rows, columns, …), as (quads, 4, …)."""
    around = [lattice[:-1, :-1], lattice[:-1, 1:], lattice[1:, 1:], lattice[1:, :-1]]
    return np.stack(around, axis=2).reshape(-1, 4, *lattice.shape[2:])


def _sheet(points: NDArray[np.float64], columns: int, rows: int, uv: NDArray[np.float64]) -> Geometry:
    corners = _quads(np.arange(columns * rows).reshape(rows, columns)).reshape(-1)
    attributes: dict[tuple[Domain, str], Floats] = {UV: uv.astype(np.float32)[corners]}
    return Geometry.from_faces(points, corners, np.arange(0, len(corners) + 1, 4), attributes)
