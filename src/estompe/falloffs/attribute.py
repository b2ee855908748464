"""Any stored number of the shape: a colour channel, a UV, a group, or whatever a file brought along."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Attribute(
    Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="attribute", tag_field="kind"
):
    """An attribute's values on the points; those of faces and corners are averaged onto them."""

    label: ClassVar[str] = "Attribute"
    text: ClassVar[str] = "A number that is stored with the shape, such as a colour, a UV or a group."

    name: Annotated[str, setting("Name", "The attribute's name.", refers="attribute"), Meta(max_length=200)] = "uv"
    channel: Annotated[
        Literal["first", "second", "third", "mean"],
        setting("Channel", "Which of several numbers: red, green, blue; or u, v."),
    ] = "first"

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def measure(self, samples: Samples, at: At) -> Floats:
        del at
        values = samples.geometry.on_points(self.name)
        if values is None:
            names = sorted({name for _, name in samples.geometry.attributes}) or ["none"]
            raise MissingError(f"the shape has no attribute “{self.name}”; it has: {', '.join(names)}")
        if values.ndim == 1:
            return values.copy()
        if self.channel == "mean":
            return np.asarray(values.mean(axis=1), np.float32)
        index = ("first", "second", "third").index(self.channel)
        if index >= values.shape[1]:
            raise MissingError(f"“{self.name}” has only {values.shape[1]} channels: choose another")
        return np.ascontiguousarray(values[:, index])
