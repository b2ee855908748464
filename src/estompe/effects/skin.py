"""Skin: strands and branches become one closed body with soft forks."""

from typing import Annotated, ClassVar

from estompe.effects.voxels import Voxel, solid_words
from estompe.geometry import Geometry
from estompe.geometry.branches.skin import skinned
from estompe.geometry.volumes.solid import frame_of, longest_side, rounded
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

_VOXELS_ALONG = 256.0


@register
class Skin(Effect, tag="skin", kw_only=True):
    """One closed mesh around lines that have a width; what is thinner than the voxels show is thickened.

    Strength says how thick.
    """

    group: ClassVar[str] = "volume"
    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    fed_at_first: ClassVar[bool] = False
    label: ClassVar[str] = "Skin"
    text: ClassVar[str] = "Covers strands or branches with one closed skin that is rounded where they meet."
    words: ClassVar[str] = (
        "merge tubes, metaballs, blobby, union, boolean, mesh strands, curves to mesh, closed, solid, watertight, voxel, wrap"
    )

    voxel: Voxel = 0.0
    blend: Annotated[
        Number,
        setting(
            "Rounding",
            "How far the skin is rounded where lines meet, in radii of the thinner one: more gives softer forks.",
            unit="times",
            low=0.0,
            high=8.0,
            step=0.1,
        ),
    ] = 2.0

    def reads(self) -> tuple[str, ...]:
        return ("rough",)

    @classmethod
    def summary(cls, after: Geometry) -> str:
        if after.spine is None:
            return "there are no lines here: put it on strands or branches, before what changes their faces"
        return solid_words(after)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if geometry.topology.lines is None:
            return geometry
        size = plain(self.voxel) or rounded(longest_side(geometry, context.shape_matrix) / _VOXELS_ALONG)
        return skinned(geometry, strength, frame_of(context.shape_matrix), size * context.rough, plain(self.blend))
