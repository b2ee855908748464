"""Push away: points leave a control, in a plane."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.effects.axes import upright
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.strands import order_along, with_length_kept
from estompe.kernels.deform import Deformation, deform
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class PushAway(Effect, tag="push-away"):
    """Each point goes straight away from the control's Y axis, equally far whatever its distance."""

    carries: ClassVar[Carries] = "position"
    on_strands: ClassVar[Mapping[str, Any] | None] = {}
    label: ClassVar[str] = "Push away"
    text: ClassVar[str] = "Parts things around a control, in the plane across its Y axis."
    words: ClassVar[str] = (
        "repel, part, avoid, grass, force away, separate, clear, open up, displace sideways, repulsion"
    )

    control: Annotated[Identifier, setting("Control", "The control that pushes things away.", refers="control")]
    amount: Annotated[Number, setting("Amount", "How far points move at full strength.", unit="length", step=0.005)] = (
        0.2
    )

    rooted: Annotated[
        bool,
        setting("Hold roots", "Whether strands stay at their roots and keep their length; other shapes do not mind."),
    ] = True

    def is_identity(self) -> bool:
        return plain(self.amount) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        amount = plain(self.amount)
        to_local, to_world = upright(context.control(self.control).matrix)
        order = order_along(geometry) if self.rooted else None
        eased = strength if order is None else np.asarray(strength * order, np.float32)
        moved = deform(geometry.points, eased, Deformation.AWAY, to_local, to_world, [amount])
        return geometry.moved(moved if order is None else with_length_kept(geometry, moved))
