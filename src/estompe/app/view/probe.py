"""The value at the pointer, and how each layer contributed to it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from estompe.app import units
from estompe.evaluate.worker import Answer
from estompe.falloffs.joining import JOINS
from estompe.render import Viewpoint
from estompe.render.renderer import Hit


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
    geometry = answer.frame[hit.id]
    triangles = geometry.topology.triangles
    if hit.triangle >= len(triangles):
        return None
    corners = triangles[hit.triangle]
    eye, direction = viewpoint.ray(*at, *size)
    weights = barycentric_weights(geometry.points[corners].astype(np.float64), eye, direction)
    strength, value = (float(array[corners] @ weights) for array in (shown.strength, shown.values))
    words: list[str] = []
    for layer in shown.falloff.layers:
        values = shown.layer_values(layer.id)
        if values is None:
            continue
        own = float(values[corners] @ weights)
        unit = "" if layer.range is not None else layer.source.unit()
        name = f"{'1 − ' if layer.one_minus else ''}{layer.source.label.lower()}"
        sign = f"{JOINS[layer.join].sign} " if words else ""
        words.append(f"{sign}{name} {units.shown(own, unit)}")
    return Reading(strength, value, "  ".join(words))


def nearest_point(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, at: tuple[float, float], size: tuple[float, float]
) -> tuple[str, int] | None:
    """The shape and the number of its point nearest to where a pixel's ray meets it."""
    position = surface_position(answer, hit, viewpoint, at, size)
    if position is None:
        return None
    geometry = answer.frame[hit.id]
    corners = geometry.topology.triangles[hit.triangle]
    return hit.id, int(corners[np.argmin(np.linalg.norm(geometry.points[corners] - position, axis=1))])


def surface_position(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, at: tuple[float, float], size: tuple[float, float]
) -> NDArray[np.float64] | None:
    """Where on the surface a pixel's ray meets it, float64 (3,)."""
    geometry = answer.frame[hit.id]
    if hit.triangle >= len(geometry.topology.triangles):
        return None
    corners = geometry.points[geometry.topology.triangles[hit.triangle]].astype(np.float64)
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
