"""Any stored number of the shape: a colour channel, a UV, a group, or whatever a file brought along."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta

from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Attribute(Source, tag="attribute"):
    """An attribute's values on the points; those of faces and corners are averaged onto them."""

    group: ClassVar[str] = "surface"
    label: ClassVar[str] = "Attribute"
    text: ClassVar[str] = "A number that is stored with the shape, such as a colour, a UV or a group."
    words: ClassVar[str] = "vertex color, weight map, weight, primvar, group, uv, per point data, custom data, channel"

    name: Annotated[
        str, setting("Name", "The name of the attribute that is read.", editor="attribute"), Meta(max_length=200)
    ] = "uv"
    channel: Annotated[
        Literal["first", "second", "third", "mean"],
        setting("Channel", "Which number is read of a colour (red, green, blue) or a UV (u, v)."),
    ] = "first"

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        values = elements.attribute(self.name)
        if values is None:
            names = elements.attribute_names() or ["none"]
            raise CannotEvaluateError(f"the shape has no attribute “{self.name}”; it has: {', '.join(names)}")
        if values.ndim == 1:
            return values.copy()
        if self.channel == "mean":
            return np.asarray(values.mean(axis=1), np.float32)
        index = ("first", "second", "third").index(self.channel)
        if index >= values.shape[1]:
            raise CannotEvaluateError(f"“{self.name}” has only {values.shape[1]} channels: choose another")
        return np.ascontiguousarray(values[:, index])
