"""Copies scattered evenly over a surface."""

from typing import Annotated, ClassVar, Literal, NamedTuple

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import Geometry, frozen
from estompe.geometry.carrying import axes_along
from estompe.geometry.rest import Rest
from estompe.kernels.scatter import areas_of, candidates, followed, ranked
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.copying import CopiesSource, Laid

_MOST = 500_000
_CANDIDATES = 24


class Scattered(NamedTuple):
    """Places on triangles of a surface at rest, each beginning of them even: triangle, shares, id, and where they lie."""

    owner: Indices
    shares: Floats
    ids: np.ndarray
    rest: Rest


@register
class ScatteredCopies(CopiesSource, tag="copies-scatter", kw_only=True):
    """Copies scattered evenly over another shape's surface at rest; they ride on it as it deforms.

    Where a copy stands does not depend on how many there are: another count adds or takes away at the end of the order.
    """

    label: ClassVar[str] = "Copies scattered"
    text: ClassVar[str] = (
        "Copies of a shape scattered evenly over another one; Hide by share makes them denser or sparser."
    )
    words: ClassVar[str] = (
        "scatter, distribute, instance, sprinkle, populate, random copies, spread copies, points on surface, "
        "copies, vegetation, crowd, swarm, flock, particles, emitter, rocks, stones, petals, sand"
    )

    surface: Annotated[Identifier, setting("Surface", "The shape that copies are scattered over.", refers="shape")]
    by: Annotated[
        Literal["count", "spacing"], setting("Placement", "Whether copies are placed by a count or by a least spacing.")
    ] = "count"
    count: Annotated[int, whole("Count", "The number of copies.", low=1, high=_MOST, when=("by", ("count",)))] = 400
    spacing: Annotated[
        float,
        setting(
            "Spacing",
            "The least distance between two copies.",
            unit="length",
            low=1e-5,
            high=1e6,
            when=("by", ("spacing",)),
        ),
    ] = 0.1
    places: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other places.", low=0, high=2**31 - 1)
    ] = 1
    aligned: Annotated[bool, setting("Align to normal", "Whether the Y axis of copies follows the normal.")] = True
    up: Annotated[
        Triple, setting("Up", "The direction that their Z axis leans towards; 0 0 0 keeps the surface's own.", folded=True,
                        when=("aligned", (True,)))
    ] = (0.0, 1.0, 0.0)  # fmt: skip

    def lay(self, context: Context) -> Laid:
        mesh = context.shape(self.surface)
        if not mesh.topology.faces:
            raise CannotEvaluateError("the shape they are scattered over has no faces: choose another")
        spacing = self.spacing if self.by == "spacing" else 0.0
        key = "scatter", mesh.topology, self.by, spacing if spacing else self.count, self.places
        found: Scattered = mesh.at_rest.derived(key, lambda: scattered(mesh, self.count, spacing, self.places))
        topology = mesh.topology
        positions, normals, alongs = followed(mesh.points, mesh.normals, topology.triangles, found.owner, found.shares)
        axes = None
        if self.aligned:
            up = plain_triple(self.up)
            axes = axes_along(normals, up) if any(up) else _along_surface(normals, alongs)
        count = len(found.ids)
        rank = (np.arange(count, dtype=np.float32) + np.float32(0.5)) / np.float32(max(count, 1))
        # Later places go first when fewer are wanted: any share that stays is even.
        return Laid(found.ids, positions, axes, np.float32(1.0) - rank, found.rest)


def scattered(mesh: Geometry, count: int, spacing: float, seed: int) -> Scattered:
    """Even places on a mesh at rest, so many, or as many as fit. Raises CannotEvaluateError where too many are wanted."""
    triangles = mesh.topology.triangles
    areas = areas_of(mesh.rest, triangles)
    area = float(areas.sum())
    if not area > 0.0:
        raise CannotEvaluateError("the shape they are scattered over has no area: choose another")
    wanted = count
    if spacing:
        wanted = int(1.3 * area / spacing**2) + 16
        if wanted > _MOST:
            raise CannotEvaluateError(
                f"about {int(0.8 * area / spacing**2):,} copies would fit with that spacing, more than {_MOST:,}: "
                f"use at least {np.sqrt(area * 1.3 / _MOST):.3g}"
            )
    owner, shares, places = candidates(mesh.rest, triangles, np.cumsum(areas), _CANDIDATES * wanted + 64, seed)
    order, _ = ranked(places, area, 2, wanted, spacing)
    return Scattered(
        frozen(owner[order]), frozen(shares[order]), frozen(order.astype(np.int64)),
        Rest(frozen(places[order].astype(np.float32))),
    )  # fmt: skip


def _along_surface(normals: Floats, alongs: Floats) -> Floats:
    """Axes whose Y is the normal and whose X keeps to a direction along the surface, float32 (k, 9)."""
    y = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    x = alongs - (alongs * y).sum(axis=1, keepdims=True) * y
    x /= np.maximum(np.linalg.norm(x, axis=1, keepdims=True), 1e-12)
    return np.stack([x, y, np.cross(x, y)], axis=2).reshape(-1, 9).astype(np.float32)
