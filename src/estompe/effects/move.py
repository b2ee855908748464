"""Move: points move along one vector."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Triple, plain_triple
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.kernels.displace import displace_by
from estompe.kernels.types import Floats


@register
class Move(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="move", tag_field="kind"
):
    """Each point moves by the vector times its strength."""

    label: ClassVar[str] = "Move"
    text: ClassVar[str] = "Carries points along one direction."

    by: Annotated[Triple, setting("By", "How far at full strength, X Y Z.", unit="length", step=0.005)] = (
        0.0,
        0.2,
        0.0,
    )
    axes: Annotated[
        Literal["world", "local"], setting("Axes", "World axes, or the shape's own, turned and scaled with it.")
    ] = "world"

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        by = plain_triple(self.by)
        if by == (0.0, 0.0, 0.0) or not len(strength):
            return geometry
        vector = np.array(by) if self.axes == "world" else at.shape_matrix[:, :3] @ by
        return geometry.moved(displace_by(geometry.points, strength, vector.astype(np.float32)))
