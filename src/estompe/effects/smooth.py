"""Smooth: points go towards the mean of their neighbours and back, so that bumps go and the volume stays.

Taubin, "A Signal Processing Approach to Fair Surface Design" (1995), doi:10.1145/218380.218473.
"""

from typing import Annotated, ClassVar

import numpy as np

from estompe.geometry import Geometry, GeometryError
from estompe.geometry.volumes.volume import towards_volume, volume
from estompe.kernels.smooth import towards_neighbours
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole

_TOWARDS, _BACK = 0.5, -0.5236


@register
class Smooth(Effect, tag="smooth"):
    """Each round takes bumps away, as far as the strength says. A closed mesh keeps its volume."""

    group: ClassVar[str] = "deform"
    label: ClassVar[str] = "Smooth"
    text: ClassVar[str] = "Takes bumps away without shrinking; a closed mesh keeps its volume exactly."
    words: ClassVar[str] = (
        "relax, blur, soften, laplacian, average, fair, even out, denoise, iron, polish, melt, melted, round off"
    )

    iterations: Annotated[
        int, whole("Iterations", "The number of passes: more gives a smoother surface.", low=0, high=500)
    ] = 10
    keep_volume: Annotated[
        bool, setting("Keep volume", "Whether the volume is kept: exactly for a closed mesh, nearly for an open one.")
    ] = True

    def is_identity(self) -> bool:
        return self.iterations == 0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        if not strength.any():
            return geometry
        points = geometry.points
        starts, members = geometry.topology.neighbours
        for _ in range(self.iterations):
            points = towards_neighbours(points, starts, members, strength, _TOWARDS)
            points = towards_neighbours(points, starts, members, strength, _BACK)
        if not np.isfinite(points.sum()):
            raise GeometryError("the strength is so large that positions grew beyond all numbers: use less")
        if self.keep_volume and geometry.topology.closed:
            points = _kept(geometry, points, strength)
        return geometry.moved(points)


def _kept(geometry: Geometry, points: Floats, strength: Floats) -> Floats:
    """The points moved along normals, where they were smoothed, until the volume is what it was."""
    triangles = geometry.topology.triangles
    along = geometry.topology.point_normals(points) * strength[:, None]
    before = volume(geometry.points, triangles)
    return np.asarray(points + along * np.float32(towards_volume(points, along, triangles, before)), np.float32)
