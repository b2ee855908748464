"""A mask painted on the surface with a brush."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta

from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


def carried_over(mask: Floats, before: Floats, rest: Floats) -> Floats:
    """A mask on other points: each takes the value of the nearest old one. before, rest: float32 (n, 3). Returns float32."""
    from scipy.spatial import cKDTree  # slow to import, and only needed here

    nearest = cKDTree(before).query(rest)[1]
    return np.ascontiguousarray(mask[nearest], np.float32)


@register
class Painted(Source, tag="painted"):
    """What was painted, one number per point; nothing until something is."""

    painted: ClassVar[str] = "mask"
    group: ClassVar[str] = "surface"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Painted"
    text: ClassVar[str] = "A mask that you paint on the surface with the brush (B): add, take away, blur."
    words: ClassVar[str] = "paint, brush, weight paint, mask, vertex paint, weight, hand made, draw, stroke, weight map"

    mask: Annotated[
        str,
        setting("Mask", "The painted strengths, stored with the scene.", editor="mask"),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    rest: Annotated[
        str,
        setting(
            "Rest",
            "Points of the painted mesh at rest, to carry the mask over.",
            editor="hidden",
        ),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    def reads(self) -> tuple[str, ...]:
        return ("topology", "rest")

    def measure(self, elements: Elements, context: Context) -> Floats:
        if not self.mask:
            return np.zeros(len(elements), np.float32)
        values = context.array(self.mask)
        if elements.of_volume and self.rest:
            # A volume is measured finer than the mesh: the mask is that of the nearest place of it.
            values = carried_over(np.asarray(values, np.float32), context.array(self.rest), elements.rest)
        if values.shape != (len(elements),):
            raise CannotEvaluateError(
                f"it was painted on a mesh of {len(values):,} points and this one has {len(elements):,}: "
                "it is kept; carry it over by nearest points, bring the other mesh back, or paint again"
            )
        return np.nan_to_num(np.array(values, np.float32), nan=0.0)
