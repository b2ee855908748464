"""Scale: points move away from a pivot, or towards it."""

from typing import Annotated, ClassVar

from estompe.effects.axes import space
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.kernels.deform import Deformation, deform
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Scale(Effect, tag="scale"):
    """Each point goes from its position to that times the scale, as far as its strength says."""

    carries: ClassVar[Carries] = "all"
    own_axes: ClassVar[bool] = True
    label: ClassVar[str] = "Scale"
    pivot_setting: ClassVar[str] = "pivot"
    text: ClassVar[str] = "Makes parts larger or smaller about a pivot."
    words: ClassVar[str] = (
        "resize, size, grow, shrink, enlarge, stretch, squash, uniform scale, zoom, small, scales, appear, "
        "squeeze, pop up, implode"
    )

    scale: Annotated[Triple, setting("Scale", "The scale at full strength, X Y Z.", unit="times", step=0.01)] = (
        1.5,
        1.5,
        1.5,
    )
    pivot: Annotated[Triple, setting("Pivot", "The point that stays in place, in local space.", unit="length")] = (
        0.0,
        0.0,
        0.0,
    )

    def is_identity(self) -> bool:
        return plain_triple(self.scale) == (1.0, 1.0, 1.0)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        scale = plain_triple(self.scale)
        to_local, to_world = space(context.shape_matrix, "y", plain_triple(self.pivot))
        return geometry.moved(deform(geometry.points, strength, Deformation.SCALE, to_local, to_world, list(scale)))
