"""What effects that work on volumes have in common: how fine, what they ask strengths for, and what they say."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Color
from estompe.geometry import Domain, Geometry
from estompe.geometry.transforms import Matrix
from estompe.geometry.volumes.closing import closed_flat
from estompe.geometry.volumes.solid import (
    Solid,
    automatic_size,
    frame_of,
    longest_side,
    solid_of,
    thin_part_told,
    voxels_told,
)
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.settings import setting

Voxel = Annotated[
    Number,
    setting(
        "Voxel size",
        "The edge of a voxel: less gives finer detail and takes longer, 0 chooses one by the shape and its falloffs.",
        unit="length",
        low=0.0,
        high=1e4,
        step=0.001,
    ),
]
"""The setting `voxel`, for effects that work on volumes."""


class VolumeEffect(Effect, kw_only=True):
    """An effect that makes the shape a volume, changes that, and takes a new surface out of it."""

    group: ClassVar[str] = "volume"
    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    asks_places: ClassVar[bool] = True
    voxel: Voxel = 0.0

    def reads(self) -> tuple[str, ...]:
        return ("rough", "detail", "color")

    @classmethod
    def summary(cls, after: Geometry) -> str:
        return solid_words(after)

    def size_of(self, geometry: Geometry, context: Context) -> float:
        """The size of voxels: as set, else from what the geometry was taken from, its longest side and its falloffs' detail."""
        wanted = plain(self.voxel)
        if not wanted:
            known: Solid | None = geometry.solid
            side = longest_side(geometry, context.shape_matrix)
            automatic = automatic_size(side, context.detail) * context.rough
            # What is taken over from the volume effect before need not be voxelized again.
            return automatic if known is None or automatic < 0.6 * known.size else known.size
        return wanted * context.rough

    def frame_of(self, context: Context) -> Matrix:
        """Where the lattice stands."""
        return frame_of(context.shape_matrix)

    def solid_of(self, geometry: Geometry, context: Context, room: float = 0.0, half: float = 0.0) -> Solid:
        """The shape as a volume. room, half: as `estompe.geometry.volumes.solid.solid_of` has them."""
        if not geometry.topology.faces:
            raise CannotEvaluateError("the shape has no faces, so there is no volume: choose a shape with a surface")
        size = self.size_of(geometry, context)
        return solid_of(self.body_of(geometry), self.frame_of(context), size, room, half)

    def body_of(self, geometry: Geometry) -> Geometry:
        """The mesh whose volume is meant."""
        return geometry


class ClosedVolumeEffect(VolumeEffect, kw_only=True):
    """An effect on the volume of a closed mesh."""

    close: Annotated[
        bool,
        setting("Close flat holes", "Whether flat openings get a lid first, so that the mesh is closed.", folded=True),
    ] = False

    def body_of(self, geometry: Geometry) -> Geometry:
        """The mesh, with a lid on each flat hole if that is wanted: the same one for the same mesh. Raises GeometryError."""
        if not self.close or geometry.topology.closed:
            return geometry
        return geometry.derived("closed for a volume", lambda: closed_flat(geometry))


def colored(geometry: Geometry, color: Color) -> Geometry:
    """The mesh with a colour on its points: its own, or a shape's."""
    if geometry.on_points("color") is not None:
        return geometry
    whole = np.broadcast_to(np.asarray(color, np.float32), (len(geometry.points), 3))
    return geometry.with_attribute(Domain.POINT, "color", whole)


def solid_words(after: Geometry) -> str:
    """How many voxels a volume has, what they take, and how large they are, for a card."""
    told = voxels_told(after)
    if told is None:
        return ""
    size, count = told
    if not len(after.points):
        return f"nothing is left of it; voxels of {size:.3g} m"
    millions = f"{count / 1e6:.1f} million" if count >= 1e6 else f"{count / 1e3:,.0f} thousand"
    thin = thin_part_told(after)
    if thin is not None:
        return (
            f"voxels of {size:.3g} m; part {thin[0]} is {thin[1]:.2g} m thick and does not show: "
            f"use voxels of {0.5 * thin[1]:.2g} m or less"
        )
    return f"voxels of {size:.3g} m, {millions}, {count * 4e-6:.0f} MB; shows detail from {2.5 * size:.2g} m"
