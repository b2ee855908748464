"""Subdivide: faces are split into smaller ones, everywhere or where there is strength."""

from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.effects.subdivision import subdivided
from estompe.geometry import Domain, Geometry
from estompe.geometry.geometry import check_made
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole

# Not a name anyone would give, so it never hides one of the mesh's own attributes.
_CARRIED = "\0strength"


@register
class Subdivide(Effect, tag="subdivide"):
    """Faces with a corner of at least half strength are split, as often as there are levels."""

    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    group: ClassVar[str] = "grow"
    fed_at_first: ClassVar[bool] = False
    label: ClassVar[str] = "Subdivide"
    text: ClassVar[str] = "Splits faces where there is strength, so that a falloff finds enough points."
    words: ClassVar[str] = (
        "resolution, refine, tessellate, divide, more points, density, smooth mesh, detail, level, adaptive, remesh"
    )

    levels: Annotated[
        int, whole("Levels", "The number of divisions: each splits every face in four.", low=0, high=5)
    ] = 1
    rounded: Annotated[
        bool, setting("Rounded", "Whether new points go to a smooth surface; borders and hard edges stay.")
    ] = True

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        for level in range(self.levels):
            topology = geometry.topology
            chosen = np.zeros(topology.faces, np.bool_)
            chosen[topology.corner_faces[strength[topology.corners] >= 0.5]] = True
            count = int(np.count_nonzero(chosen))
            check_made(topology.faces + count * (4 ** (self.levels - level) - 1), "take fewer levels")
            if not count:
                return geometry
            geometry, strength = _split(geometry, chosen, strength, self.rounded)
        return geometry


def _split(geometry: Geometry, chosen: NDArray[np.bool_], strength: Floats, rounded: bool) -> tuple[Geometry, Floats]:
    """One level, and the strength on its points: split along with them, as an attribute."""
    attributes = {**geometry.attributes, (Domain.POINT, _CARRIED): strength}
    held = Geometry(geometry.points, geometry.topology, attributes, geometry.at_rest)
    finer = subdivided(held, chosen, strength if rounded else None)
    attributes = dict(finer.attributes)
    carried = attributes.pop((Domain.POINT, _CARRIED))
    return Geometry(finer.points, finer.topology, attributes, finer.at_rest), np.asarray(carried, np.float32)
