"""Poses: stored variants of the same mesh, added up by amounts."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, MissingError, register
from estompe.document.numbers import Number, plain
from estompe.document.scene import BlobName, Identifier, Name
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.kernels.blend import differences, moved_by
from estompe.kernels.types import Floats


class Pose(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """A variant of the mesh at rest. places: float32 (points, 3) in the shape's own space, kept beside the scene."""

    id: Identifier
    name: Name
    places: BlobName
    amount: Annotated[
        Number,
        setting("Amount", "How far towards this pose; they add up.", unit="share", low=-10.0, high=10.0, step=0.01),
    ] = 0.0


@register
class Poses(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="poses", tag_field="kind"
):
    """Each point moves by the sum of what every pose differs from rest, times its amount and the strength."""

    label: ClassVar[str] = "Poses"
    text: ClassVar[str] = "Blends stored variants of the same mesh; their differences from rest add up."

    poses: Annotated[
        tuple[Pose, ...], setting("Poses", "The variants and how much of each.", refers="poses"), Meta(max_length=256)
    ] = ()

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        variants = []
        for pose in self.poses:
            amount = plain(pose.amount)
            places = at.array(pose.places)
            if places.shape != geometry.rest.shape:
                raise MissingError(
                    f"the pose “{pose.name}” has {len(places):,} points and the shape {len(geometry.rest):,}: "
                    "remove it, or store it anew from this mesh"
                )
            if amount:
                variants.append((places, amount))
        if not variants or not len(strength):
            return geometry
        steps = differences(geometry.rest, variants)
        return geometry.moved(moved_by(geometry.points, steps, at.shape_matrix[:, :3].astype(np.float32), strength))
