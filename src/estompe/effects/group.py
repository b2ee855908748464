"""Group: some points get a name that later effects and falloffs can use."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, EffectSettings, MissingError, register
from estompe.document.settings import setting
from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats


@register
class Group(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="group", tag_field="kind"
):
    """Stores which points belong to a group: those that were picked, or those of at least half strength."""

    alters: ClassVar[tuple[str, ...]] = ("attributes",)
    label: ClassVar[str] = "Group"
    text: ClassVar[str] = "Names the points with strength, or those picked in the Table, for the Attribute source."

    name: Annotated[
        str, setting("Name", "What the group is called.", refers="words"), Meta(min_length=1, max_length=200)
    ] = "group"
    picked: Annotated[
        str,
        setting("Picked", "Points picked in the Table, kept beside the scene.", refers="picked"),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        members = strength >= 0.5
        if self.picked:
            picked = at.array(self.picked)
            if picked.shape != members.shape:
                raise MissingError(
                    f"the group was picked on a mesh of {len(picked):,} points and this one has {len(members):,}: pick it anew"
                )
            members = members & np.asarray(picked, np.bool_)
        return geometry.with_attribute(Domain.POINT, self.name, members)
