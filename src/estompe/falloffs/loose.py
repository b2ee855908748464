"""What has happened to pieces that were set loose: since when, whether they lie still, and what their joints carry."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class LoosePieces(Source, tag="loose"):
    """Reads what a Set loose or Shed effect before it left on the pieces."""

    group: ClassVar[str] = "time"
    first_range: ClassVar[tuple[float, float] | None] = (1.0, 0.0)
    label: ClassVar[str] = "Loose pieces"
    text: ClassVar[str] = (
        "How long pieces have been loose, whether they rest, or what glue carries: for effects after a Set loose or Shed."
    )
    words: ClassVar[str] = (
        "loose since, age, at rest, asleep, sleeping, settled, load, stress, strain, glue, fell, fallen, landed, "
        "rigid body, physics, time since release"
    )

    what: Annotated[
        Literal["loose since", "at rest", "load", "age"],
        setting(
            "Measures",
            "Seconds since a piece was let go, 1 where it is at rest, what its glue carries, or its seconds since it was shed.",
        ),
    ] = "loose since"

    def unit(self) -> str:
        return "seconds" if self.what in ("loose since", "age") else ""

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        values = elements.attribute(self.what)
        # Where no effect before has let go of anything, nothing has happened yet.
        return np.zeros(len(elements), np.float32) if values is None else np.ascontiguousarray(values, np.float32)
