"""Thicken: a surface becomes a closed volume of a given thickness."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.voxels import VolumeEffect
from estompe.geometry import Geometry
from estompe.geometry.volumes.offsets import laid_over, moved_out
from estompe.geometry.volumes.solid import Solid, surface_of
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Thicken(VolumeEffect, tag="thicken"):
    """Half of the thickness lies on each side; of a closed shape a hollow body is left. Strength says how thick."""

    label: ClassVar[str] = "Thicken"
    text: ClassVar[str] = (
        "Gives an open surface a thickness as a closed volume, rounded at its border; a closed one becomes hollow."
    )
    words: ClassVar[str] = "thickness, solidify, volume, hollow, shell, wall, fatten, sheet to solid, offset, voxel"

    thickness: Annotated[
        Number, setting("Thickness", "The thickness at full strength.", unit="length", low=0.0, high=1e4, step=0.005)
    ] = 0.05

    def is_identity(self) -> bool:
        return plain(self.thickness) == 0.0

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        size = self.size_of(geometry, context)
        return surface_of(self.solid_of(geometry, context, room=plain(self.thickness), half=1.5 * size))

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return geometry
        before: Geometry = context.places
        solid: Solid = before.solid
        half = np.float32(0.5 * plain(self.thickness)) * strength
        if half.max() < 0.75 * solid.size:
            raise CannotEvaluateError(
                f"{2.0 * half.max():.3g} m is thinner than voxels of {solid.size:.3g} m can show: use voxels of "
                f"{0.6 * float(half.max()):.2g} m or less, or a larger thickness"
            )
        if solid.thin:
            # Beyond the band inside nothing is known; where strength is nothing the body ends.
            heights = np.where(strength > 0.0, half - np.float32(solid.thin), np.float32(-2.0 * solid.thin))
            return surface_of(solid.with_bricks(moved_out(before, heights.astype(np.float32), context.go_on)))
        under = 0.5 * plain(self.thickness)
        heights = np.where(strength > 0.0, half, np.float32(-2.0 * under))
        return surface_of(solid.with_bricks(laid_over(before, heights.astype(np.float32), under, under, context.go_on)))
