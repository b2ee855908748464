"""A mask painted on the surface with a brush."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct
from scipy.spatial import cKDTree

from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


def carried_over(mask: Floats, places: Floats, rest: Floats) -> Floats:
    """A mask on other points: each takes the value of the nearest old one. places, rest: float32 (n, 3). Returns float32."""
    nearest = cKDTree(places).query(rest)[1]
    return np.ascontiguousarray(mask[nearest], np.float32)


@register
class Painted(
    Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="painted", tag_field="kind"
):
    """What was painted, one number per point; nothing until something is."""

    label: ClassVar[str] = "Painted"
    text: ClassVar[str] = "A mask that you paint on the surface with the brush (B): add, take away, blur."

    mask: Annotated[
        str,
        setting("Mask", "What was painted, kept beside the scene.", refers="mask"),
        Meta(pattern=r"^([0-9a-f]{64})?$"),
    ] = ""

    places: Annotated[
        str,
        setting(
            "Places",
            "Points of the painted mesh at rest, to carry the mask over.",
            refers="hidden",
        ),
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
                "it is kept; carry it over by nearest points, bring the other mesh back, or paint anew"
            )
        return np.array(values, np.float32)
