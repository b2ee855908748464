"""Poses: stored variants of the same mesh, added up by amounts."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta

from estompe.document.scene import AssetName, Identifier, Name
from estompe.geometry import Geometry
from estompe.kernels.blend import differences, moved_by
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.part import Part
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


class Pose(Part):
    """A variant of the mesh at rest. positions: float32 (points, 3) in the shape's own space, kept beside the scene."""

    id: Identifier
    name: Name
    positions: AssetName
    amount: Annotated[
        Number,
        setting("Amount", "How far towards this pose; they add up.", unit="fraction", low=-10.0, high=10.0, step=0.01),
    ] = 0.0


@register
class Poses(Effect, tag="poses"):
    """Each point moves by the sum of what every pose differs from rest, times its amount and the strength."""

    label: ClassVar[str] = "Poses"
    text: ClassVar[str] = "Blends stored variants of the same mesh; their differences from rest add up."
    words: ClassVar[str] = (
        "morph, blend shape, blendshape, mix, pose, target, interpolate, variants, in between, "
        "morph target, lattice, sculpt, variance"
    )

    poses: Annotated[
        tuple[Pose, ...],
        setting("Poses", "The stored variants and the amount of each.", editor="poses"),
        Meta(max_length=256),
    ] = ()

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        variants = []
        for pose in self.poses:
            amount = plain(pose.amount)
            positions = context.array(pose.positions)
            if positions.shape != geometry.rest.shape:
                raise CannotEvaluateError(
                    f"the pose “{pose.name}” has {len(positions):,} points and the shape {len(geometry.rest):,}: "
                    "remove it, or store it again from this mesh"
                )
            if not np.isfinite(positions.sum()):
                raise CannotEvaluateError(f"the pose “{pose.name}” has positions that are no numbers: store it again")
            if amount:
                variants.append((positions, amount))
        if not variants:
            return geometry
        steps = differences(geometry.rest, variants)
        return geometry.moved(
            moved_by(geometry.points, steps, context.shape_matrix[:, :3].astype(np.float32), strength)
        )
