"""A mask painted on the surface with a brush."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Painted(Struct, Source, frozen=True, forbid_unknown_fields=True, tag="painted", tag_field="kind"):
    """What was painted, one number per point; nothing until something is."""

    label: ClassVar[str] = "Painted"
    text: ClassVar[str] = "A mask that you paint on the surface with the brush (B): add, take away, blur."

    mask: Annotated[
        str,
        setting("Mask", "What was painted, kept beside the scene.", refers="mask"),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def measure(self, samples: Samples, at: At) -> Floats:
        if not self.mask:
            return np.zeros(len(samples), np.float32)
        values = at.array(self.mask)
        if values.shape != (len(samples),):
            raise MissingError(
                f"it was painted on a mesh of {len(values):,} points and this one has {len(samples):,}: "
                "it is kept; bring the other mesh back, or paint anew"
            )
        return np.array(values, np.float32)
