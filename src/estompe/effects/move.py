"""Move: points move along one vector."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.displace import displace_by
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Move(Effect, tag="move"):
    """Each point moves by the vector times its strength."""

    carries: ClassVar[Carries] = "position"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Move"
    text: ClassVar[str] = "Carries points along one direction."
    words: ClassVar[str] = (
        "translate, offset, shift, position, slide, transport, drift, null, push in direction, bounce, "
        "parent, constraint, carry"
    )

    by: Annotated[Triple, setting("Offset", "The offset at full strength, X Y Z.", unit="length", step=0.005)] = (
        0.0,
        0.2,
        0.0,
    )
    axes: Annotated[
        Literal["world", "local"], setting("Axes", "Whether the offset counts along world axes or the shape's own.")
    ] = "world"

    def is_identity(self) -> bool:
        return plain_triple(self.by) == (0.0, 0.0, 0.0)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        by = plain_triple(self.by)
        vector = np.array(by) if self.axes == "world" else context.shape_matrix[:, :3] @ by
        return geometry.moved(displace_by(geometry.points, strength, vector.astype(np.float32)))
