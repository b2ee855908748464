"""Group: some points get a name that later effects and falloffs can use."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta

from estompe.geometry import Geometry
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Group(Effect, tag="group"):
    """Stores which points belong to a group: those that were picked, or those of at least half strength."""

    alters: ClassVar[tuple[str, ...]] = ("attributes",)
    recolors: ClassVar[bool | None] = False
    acts: ClassVar[tuple[ActsOn, ...]] = EVERY_ELEMENT
    group: ClassVar[str] = "look"
    fed_at_first: ClassVar[bool] = False
    label: ClassVar[str] = "Group"
    text: ClassVar[str] = "Names the points with strength, or those picked in the Table, for the Attribute source."
    words: ClassVar[str] = (
        "selection, tag, set, mask, name points, point group, vertex group, region, subset, label, soft selection, pick"
    )

    name: Annotated[
        str, setting("Name", "The name of the group.", editor="name"), Meta(min_length=1, max_length=200)
    ] = "group"
    members: Annotated[
        str,
        setting("Picked points", "The points that were picked in the Table, stored with the scene.", editor="members"),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        chosen = strength >= 0.5
        if self.members:
            members = context.array(self.members)
            if members.shape != chosen.shape:
                raise CannotEvaluateError(
                    f"the group was picked among {len(members):,} {context.domain}s and there are {len(chosen):,}: pick it again"
                )
            chosen = chosen & np.asarray(members, np.bool_)
        return geometry.with_attribute(context.domain, self.name, chosen)
