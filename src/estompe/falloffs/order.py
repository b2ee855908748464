"""The order that a turned profile or a path left on the points."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Order(Source, tag="order"):
    """0 at one end of the profile and 1 at the other, or the same across by the UVs."""

    group: ClassVar[str] = "surface"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Order"
    text: ClassVar[str] = "How far along its profile or UVs each point was made, 0 to 1; later effects leave it alone."
    words: ClassVar[str] = (
        "index, sequence, profile position, point number, along profile, uv gradient, parameter,"
        " step by step, u v, count"
    )

    along: Annotated[
        Literal["profile", "u", "v"], setting("Along", "The direction that is followed: the turned profile, or U or V.")
    ] = "profile"

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        return order_of(elements, self.along)


def order_of(elements: Elements, along: str) -> Floats:
    """The order of each point along the profile, u or v, float32 (n,). Raises CannotEvaluateError where the shape has none."""
    values = elements.attribute("order" if along == "profile" else "uv")
    if values is None and along == "profile":
        uv = elements.attribute("uv")
        values = None if uv is None else uv[:, 1]
    elif values is not None and along != "profile":
        values = values[:, 0 if along == "u" else 1]
    if values is None:
        raise CannotEvaluateError("the shape has neither a profile's order nor UVs: use Height instead")
    return np.ascontiguousarray(values, np.float32)
