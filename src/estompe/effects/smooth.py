"""Smooth: points go towards the mean of their neighbours and back, so that bumps go and the volume stays.

Taubin, "A Signal Processing Approach to Fair Surface Design" (1995), doi:10.1145/218380.218473.
"""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.geometry.volume import towards_volume, volume
from estompe.kernels.smooth import towards_neighbours
from estompe.kernels.types import Floats

_TOWARDS, _BACK = 0.5, -0.5236


@register
class Smooth(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="smooth", tag_field="kind"
):
    """Each round takes bumps away, as far as the strength says. A closed mesh keeps its volume."""

    label: ClassVar[str] = "Smooth"
    text: ClassVar[str] = "Takes bumps away without shrinking; a closed mesh keeps its volume exactly."

    rounds: Annotated[int, setting("Rounds", "More are smoother.", low=0, high=500), Meta(ge=0, le=500)] = 10
    keep_volume: Annotated[bool, setting("Keep the volume", "Of a closed mesh, exactly; of an open one, nearly.")] = (
        True
    )

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        del at
        if self.rounds == 0 or not strength.any():
            return geometry
        points = geometry.points
        starts, members = geometry.topology.neighbours
        for _ in range(self.rounds):
            points = towards_neighbours(points, starts, members, strength, _TOWARDS)
            points = towards_neighbours(points, starts, members, strength, _BACK)
        if self.keep_volume and geometry.topology.closed:
            points = _kept(geometry, points, strength)
        return geometry.moved(points)


def _kept(geometry: Geometry, points: Floats, strength: Floats) -> Floats:
    """The points moved along normals, where they were smoothed, until the volume is what it was."""
    triangles = geometry.topology.triangles
    along = geometry.topology.point_normals(points) * strength[:, None]
    before = volume(geometry.points, triangles)
    return np.asarray(points + along * np.float32(towards_volume(points, along, triangles, before)), np.float32)
