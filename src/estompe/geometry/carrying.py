"""Taking elements along: an effect says where places go, and faces, pieces and copies follow it as wholes.

An effect is asked about places only, whatever the elements are: about the middle of each for effects that only move, about its
middle and the ends of three arms for those that also rotate or scale.
"""

from collections.abc import Callable
from functools import cached_property
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.rest import Rest
from estompe.geometry.samples import Samples, samples_of
from estompe.geometry.topology import Topology
from estompe.kernels.pieces import arms, carried_points, followed, linear_parts, points_by_faces, shifted_points
from estompe.kernels.types import Floats, Indices, frozen

Carries = Literal["", "position", "rotation", "all"]
"""What an effect does to elements: moves them, also rotates them, also scales them; "" for one that is for points alone."""
Apply = Callable[[Geometry, Floats], Floats]
"""Where an effect brings the points of a mesh, float32 (n, 3), at strengths, float32 (n,)."""
_ARM, _LOOKED_AT = 0.02, 512
_NONE: Indices = np.zeros(0, np.int32)


def carried(
    geometry: Geometry, domain: Domain, each: bool, carries: Carries, strength: Floats, apply: Apply
) -> Geometry:
    """The mesh with its faces or pieces where an effect brings them. Elements of strength 0 keep every bit.

    each: about each element's own middle and along its own axes; strength: float32 (elements,).
    """
    elements = samples_of(geometry, domain)
    axes = _axes(geometry, elements)
    if carries == "position" and not each:
        went = apply(_Places(elements, elements.positions, 1), strength)
        return _moved_only(geometry, domain, elements, went, strength)
    middles = elements.positions
    length = _arm_length(geometry, middles)
    if each:
        own = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (len(middles), 1))
        places = arms(np.zeros_like(middles), own, length)
    else:
        places = arms(middles, axes, length)
    went = apply(_Places(elements, places, 4), np.tile(strength, 4))
    made = followed(went, middles, axes, strength, length, resized=carries == "all", own=each)
    return _followed(geometry, domain, elements, axes, made, strength, carries == "all")


def _arm_length(geometry: Geometry, middles: Floats) -> float:
    """How long arms are: a little of how far elements lie apart, told by some of them."""
    some = middles[:: max(1, len(middles) // _LOOKED_AT)]
    low, high = (some.min(axis=0), some.max(axis=0)) if len(some) > 1 else geometry.bounds
    return max(_ARM * float(np.linalg.norm(high.astype(np.float64) - low)), 1e-4)


def _axes(geometry: Geometry, elements: Samples) -> Floats:
    """The own axes of elements, float32 (k, 9): those of pieces where they are known; else along the normal, or the world's."""
    if elements.domain is Domain.PIECE and geometry.axes is not None:
        return geometry.axes
    if elements.domain is Domain.FACE:
        return axes_along(elements.normals)
    return np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (len(elements), 1))


def axes_along(normals: Floats, up: tuple[float, float, float] = (0.0, 1.0, 0.0)) -> Floats:
    """Axes whose Y is a normal and whose Z leans towards up, unit columns, float32 (k, 9). normals: float32 (k, 3)."""
    towards = np.broadcast_to(np.asarray(up, np.float64), normals.shape)
    y = normals.astype(np.float64)
    lengths = np.linalg.norm(y, axis=1, keepdims=True)
    y = np.where(lengths > 1e-12, y / np.maximum(lengths, 1e-12), (0.0, 1.0, 0.0))
    x = np.cross(y, towards)
    flat = np.linalg.norm(x, axis=1) < 1e-3  # the normal looks along up: X of the world, seen across it, stands in
    x[flat] = np.cross(y[flat], np.cross((1.0, 0.0, 0.0), y[flat]))
    still = np.linalg.norm(x, axis=1) < 1e-6
    x[still] = np.cross(y[still], (0.0, 0.0, 1.0))
    x /= np.maximum(np.linalg.norm(x, axis=1, keepdims=True), 1e-12)
    return np.stack([x, y, np.cross(x, y)], axis=2).reshape(-1, 9).astype(np.float32)


class _Places(Geometry):
    """Places of elements as a mesh of points alone, with what effects look at besides positions; they keep their normals."""

    def __init__(self, elements: Samples, positions: Floats, times: int) -> None:
        topology = Topology(_NONE, np.zeros(1, np.int32), len(positions))
        super().__init__(positions, topology, {}, _RestOfPlaces(elements, times))
        self._elements, self._times = elements, times

    @cached_property
    def normals(self) -> Floats:
        return frozen(_repeated(self._elements.normals, self._times))

    def moved(self, points: Floats, normals: Floats | None = None, axes: Floats | None = None) -> Geometry:
        del normals, axes
        made = _Places(self._elements, points, self._times)
        made.at_rest = self.at_rest
        return made

    def attribute(self, domain: Domain, name: str) -> NDArray[Any] | None:
        values = self._elements.values(name) if domain is Domain.POINT else None
        return None if values is None else _repeated(values, self._times)


class _RestOfPlaces(Rest):
    """Where elements are at rest, repeated for their arms once an effect asks for it; most do not."""

    def __init__(self, elements: Samples, times: int) -> None:
        self._elements, self._times = elements, times
        self._every: Floats | None = None
        super().__init__(elements.rest, elements.rest_extent)

    @property
    def positions(self) -> Floats:
        if self._every is None:
            self._every = frozen(_repeated(self._elements.rest, self._times))
        return self._every

    @positions.setter
    def positions(self, _rest: Floats) -> None:
        """Repeated later, and only if needed."""


def _repeated(values: NDArray[Any], times: int) -> NDArray[Any]:
    return values if times == 1 else np.concatenate([values] * times)


def _moved_only(geometry: Geometry, domain: Domain, elements: Samples, went: Floats, strength: Floats) -> Geometry:
    placed = geometry.placed_pieces(went) if domain is Domain.PIECE else None
    if placed is not None:
        return placed
    middles = elements.positions
    if domain is Domain.PIECE:
        # Pieces keep their normals: nothing turns.
        moved = shifted_points(geometry.points, geometry.pieces.of, middles, went, strength)
        return geometry.moved(moved, geometry.normals)
    same = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (len(middles), 1))
    return geometry.moved(
        points_by_faces(geometry.points, geometry.topology.faces_around, middles, went, same, strength)
    )


def _followed(
    geometry: Geometry,
    domain: Domain,
    elements: Samples,
    axes: Floats,
    made: tuple[Floats, Floats, Floats],
    strength: Floats,
    scaled: bool,
) -> Geometry:
    middles, new_axes, sizes = made
    placed = geometry.placed_pieces(middles, new_axes, sizes if scaled else None) if domain is Domain.PIECE else None
    if placed is not None:
        return placed
    parts = linear_parts(axes, new_axes, sizes)
    if domain is Domain.FACE:
        around = geometry.topology.faces_around
        return geometry.moved(points_by_faces(geometry.points, around, elements.positions, middles, parts[0], strength))
    points, normals = carried_points(
        geometry.points, geometry.normals, geometry.pieces.of, elements.positions, middles, parts, strength
    )
    return geometry.moved(points, normals, None if geometry.topology.parted is None else new_axes)


class Spread(NamedTuple):
    """What is done to each element at full strength, float32 (k, 3) each: offsets, degrees about own X Y Z, and scales."""

    offsets: Floats
    rotations: Floats
    scales: Floats


def varied(
    geometry: Geometry,
    domain: Domain,
    strength: Floats,
    spread: Spread,
    axes: Literal["world", "local", "own", "outward"] = "world",
) -> Geometry:
    """The mesh with each element moved, rotated and scaled by amounts of its own. Elements of strength 0 keep every bit.

    axes: what offsets lie along; "local" ones are given in the world already; "outward": Y from the middle of all elements.
    """
    elements = samples_of(geometry, domain)
    own = _axes(geometry, elements)
    s = strength[:, None]
    offsets = spread.offsets * s
    if axes == "own":
        offsets = np.einsum("kij,kj->ki", own.reshape(-1, 3, 3), offsets)
    elif axes == "outward" and len(elements):
        middle = elements.positions.mean(axis=0, dtype=np.float64).astype(np.float32)
        offsets = np.einsum("kij,kj->ki", axes_along(elements.positions - middle).reshape(-1, 3, 3), offsets)
    went = np.where(s == 0, elements.positions, elements.positions + offsets).astype(np.float32)
    if domain is Domain.POINT:
        return geometry.moved(went)
    turned = np.einsum("kij,kjl->kil", own.reshape(-1, 3, 3), _rotations(spread.rotations * s)).reshape(-1, 9)
    sizes = 1.0 + (spread.scales - 1.0) * s
    made = went, np.where(s == 0, own, turned).astype(np.float32), sizes.astype(np.float32)
    return _followed(geometry, domain, elements, own, made, strength, scaled=True)


def own_axes(geometry: Geometry, domain: Domain) -> Floats:
    """The own axes of elements, float32 (k, 9), unit columns; of the world where they have none."""
    return _axes(geometry, samples_of(geometry, domain))


def posed(
    geometry: Geometry, domain: Domain, strength: Floats, positions: Floats, axes: Floats, sizes: Floats
) -> Geometry:
    """The mesh with faces or pieces at given poses. Elements of strength 0 keep every bit.

    Parameters
    ----------
    geometry : Geometry
    domain : Domain
        Faces or pieces.
    strength : float32 (k,)
    positions, axes, sizes : float32 (k, 3), float32 (k, 9), float32 (k, 3)
        The middle of each element in the world, its own axes as unit columns, and factors of its sizes along them.
    """
    elements = samples_of(geometry, domain)
    return _followed(
        geometry, domain, elements, _axes(geometry, elements), (positions, axes, sizes), strength, scaled=True
    )


def _rotations(degrees: Floats) -> NDArray[np.float64]:
    """Rotations about X, then Y, then Z, float64 (k, 3, 3). degrees: float32 (k, 3)."""
    angles = np.radians(degrees.astype(np.float64))
    (sx, sy, sz), (cx, cy, cz) = np.sin(angles).T, np.cos(angles).T
    rows = [cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx,
            sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx,
            -sy, cy * sx, cy * cx]  # fmt: skip
    return np.stack(rows, axis=1).reshape(-1, 3, 3)
