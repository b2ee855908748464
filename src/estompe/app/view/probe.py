"""The value at the pointer, and how each layer contributed to it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from estompe.app import units
from estompe.evaluation.background.answers import Answer
from estompe.evaluation.frame import Shown
from estompe.falloffs.joining import JOINS
from estompe.geometry import Domain
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats
from estompe.render import Viewpoint
from estompe.render.item import Hit


@dataclass(frozen=True)
class Reading:
    """A strength at a place on a surface. value: the joined layers before range and ramp; words: how it came about."""

    strength: float
    value: float
    words: str


def read(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, at: tuple[float, float], size: tuple[float, float]
) -> Reading | None:
    """What the current falloff says where a pixel's ray meets a triangle; None where it is not shown."""
    shown = answer.shown.get(hit.id)
    if shown is None:
        return None
    element, weights = _looked_at(answer, shown, hit, viewpoint, at, size)
    if element is None:
        return None
    strength, value = (float(array[element] @ weights) for array in (shown.strength, shown.values))
    words: list[str] = []
    for layer in shown.falloff.layers:
        values = shown.layer_values(layer.id)
        if values is None:
            continue
        own = float(values[element] @ weights)
        unit = "" if layer.range is not None else layer.source.unit()
        name = f"{'1 − ' if layer.one_minus else ''}{layer.source.label.lower()}"
        sign = f"{JOINS[layer.join].sign} " if words else ""
        words.append(f"{sign}{name} {units.shown(own, unit)}")
    return Reading(strength, value, "  ".join(words))


def _looked_at(
    answer: Answer,
    shown: Shown,
    hit: Hit,
    viewpoint: Viewpoint,
    at: tuple[float, float],
    size: tuple[float, float],
) -> tuple[NDArray[np.int64] | None, NDArray[np.float64]]:
    """The elements that are looked at and their weights: a triangle's three points, or one face, piece or copy."""
    geometry = answer.frame[hit.id]
    alone = np.ones(1)
    if hit.copy is not None:
        return np.array([hit.copy]), alone
    triangles = geometry.topology.triangles
    if hit.triangle >= len(triangles) or len(shown.strength) != geometry.count(shown.domain):
        return None, alone
    corners = triangles[hit.triangle]
    if shown.domain is Domain.FACE:
        return geometry.topology.triangle_faces[hit.triangle : hit.triangle + 1].astype(np.int64), alone
    if shown.domain is Domain.PIECE:
        return geometry.pieces.of[corners[:1]].astype(np.int64), alone
    eye, direction = viewpoint.ray(*at, *size)
    weights = barycentric_weights(geometry.points[corners].astype(np.float64), eye, direction)
    return corners.astype(np.int64), weights


def nearest_element(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, at: tuple[float, float], size: tuple[float, float]
) -> tuple[str, int] | None:
    """The shape and the number of the element of it at a pixel: the face, piece or copy, or the nearest point."""
    position = surface_position(answer, hit, viewpoint, at, size)
    if position is None:
        return None
    if hit.copy is not None:
        return hit.id, hit.copy
    geometry, shown = answer.frame[hit.id], answer.shown.get(hit.id)
    corners = geometry.topology.triangles[hit.triangle]
    if shown is not None and shown.domain is not Domain.POINT:
        elements, _ = _looked_at(answer, shown, hit, viewpoint, at, size)
        return None if elements is None else (hit.id, int(elements[0]))
    return hit.id, int(corners[np.argmin(np.linalg.norm(geometry.points[corners] - position, axis=1))])


def element_name(answer: Answer, shape: str, element: int) -> str:
    """What a person calls an element of a shape, such as "point 12" or "copy 3"."""
    shown, geometry = answer.shown.get(shape), answer.frame[shape]
    domain = geometry.own_domain if shown is None else shown.domain
    if domain is Domain.PIECE:
        return f"{geometry.piece_word} {int(samples_of(geometry, domain).ids[element])}"
    return f"{domain.value} {element}"


def element_outline(answer: Answer, hit: Hit) -> Floats | None:
    """The edges of the copy, piece or face that was hit, float32 (e, 2, 3); None where points count."""
    geometry, shown = answer.frame[hit.id], answer.shown.get(hit.id)
    if hit.copy is not None:
        return geometry.copy_edges(hit.copy)
    topology = geometry.topology
    if shown is None or shown.domain is Domain.POINT or hit.triangle >= len(topology.triangles):
        return None
    face = int(topology.triangle_faces[hit.triangle])
    faces = (
        [face] if shown.domain is Domain.FACE else np.flatnonzero(topology.face_pieces == topology.face_pieces[face])
    )
    rings = [topology.corners[topology.offsets[k] : topology.offsets[k + 1]] for k in faces]
    ends = np.concatenate([np.stack([ring, np.roll(ring, -1)], axis=1) for ring in rings])
    return geometry.points[ends]


def surface_position(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, at: tuple[float, float], size: tuple[float, float]
) -> NDArray[np.float64] | None:
    """Where on the surface a pixel's ray meets it, float64 (3,)."""
    corners = answer.frame[hit.id].triangle_corners(hit.triangle, hit.copy)
    if corners is None:
        return None
    return np.asarray(barycentric_weights(corners, *viewpoint.ray(*at, *size)) @ corners)


def barycentric_weights(
    triangle: NDArray[np.float64], eye: NDArray[np.float64], direction: NDArray[np.float64]
) -> NDArray[np.float64]:
    """How near a ray passes to each corner of a triangle, as weights that add up to 1.

    After Möller and Trumbore, "Fast, Minimum Storage Ray/Triangle Intersection" (1997),
    doi:10.1080/10867651.1997.10487468; a ray that just misses is taken to the nearest place.
    """
    first, second = triangle[1] - triangle[0], triangle[2] - triangle[0]
    across = np.cross(direction, second)
    determinant = float(first @ across)
    if abs(determinant) < 1e-18:
        return np.full(3, 1.0 / 3.0)
    offset = eye - triangle[0]
    u = float(offset @ across) / determinant
    v = float(direction @ np.cross(offset, first)) / determinant
    found = np.clip([1.0 - u - v, u, v], 0.0, 1.0)
    return np.asarray(found / found.sum())
