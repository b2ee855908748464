"""Subdivide: faces are split into smaller ones, everywhere or where there is strength."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.settings import setting
from estompe.geometry import Geometry, GeometryError
from estompe.geometry.subdivision import subdivided
from estompe.kernels.types import Floats

_MOST_FACES = 40_000_000


@register
class Subdivide(Struct, EffectSettings, frozen=True, forbid_unknown_fields=True, tag="subdivide", tag_field="kind"):
    """Faces with a corner of at least half strength are split, as often as there are levels."""

    label: ClassVar[str] = "Subdivide"
    text: ClassVar[str] = "Splits faces where there is strength, so that a falloff finds enough points."

    levels: Annotated[int, setting("Levels", "Each splits faces in four.", low=0, high=5), Meta(ge=0, le=5)] = 1
    rounded: Annotated[bool, setting("Rounded", "New points go to a smooth surface; borders stay.")] = True

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        del at
        for _ in range(self.levels):
            topology = geometry.topology
            if topology.faces > _MOST_FACES // 4:
                raise GeometryError(f"the mesh would have more than {_MOST_FACES:,} faces: take fewer levels")
            chosen = np.zeros(topology.faces, np.bool_)
            chosen[topology.corner_faces[strength[topology.corners] >= 0.5]] = True
            if not chosen.any():
                return geometry
            finer = subdivided(geometry, chosen, strength if self.rounded else None)
            strength = _carried(geometry, finer, strength, chosen)
            geometry = finer
        return geometry


def _carried(before: Geometry, after: Geometry, strength: Floats, chosen: np.ndarray) -> Floats:
    """The strength on the new points too: split along with them, as an attribute would be."""
    from estompe.geometry import Domain

    held = Geometry(before.points, before.topology, {(Domain.POINT, "strength"): strength})
    found = subdivided(held, chosen, None).attribute(Domain.POINT, "strength")
    assert found is not None
    assert len(found) == len(after.points)
    return np.asarray(found, np.float32)
