"""Size: points move away from a pivot, or towards it."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Triple, plain_triple
from estompe.document.settings import setting
from estompe.effects.axes import space
from estompe.geometry import Geometry
from estompe.kernels.deform import Way, deform
from estompe.kernels.types import Floats


@register
class Size(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="size", tag_field="kind"
):
    """Each point goes from its place to that times the size, as far as its strength says."""

    label: ClassVar[str] = "Size"
    text: ClassVar[str] = "Makes parts larger or smaller about a pivot."

    size: Annotated[Triple, setting("Size", "Times as large at full strength, X Y Z.", unit="times", step=0.01)] = (
        1.5,
        1.5,
        1.5,
    )
    pivot: Annotated[Triple, setting("Pivot", "What stays, in the shape's own space.", unit="length")] = (0.0, 0.0, 0.0)

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        size = plain_triple(self.size)
        if size == (1.0, 1.0, 1.0) or not len(strength):
            return geometry
        into, back = space(at.shape_matrix, "y", plain_triple(self.pivot))
        return geometry.moved(deform(geometry.points, strength, Way.SIZE, into, back, list(size)))
