"""What effects before have done: since when pieces are loose, whether they lie still, what their joints carry, what has grown."""

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
    """Reads what a Set loose, Shed, Sprout or Ruffle effect before it left on the elements."""

    group: ClassVar[str] = "time"
    first_range: ClassVar[tuple[float, float] | None] = (1.0, 0.0)
    label: ClassVar[str] = "What happened"
    text: ClassVar[str] = (
        "Since when pieces are loose, whether they rest, what glue carries, or what has grown, for the effects that follow."
    )
    words: ClassVar[str] = (
        "loose since, age, at rest, asleep, sleeping, settled, load, stress, strain, glue, fell, fallen, landed, "
        "rigid body, physics, time since release, loose pieces, grown since, growth, front, arrived, sprouted, ruffled"
    )

    what: Annotated[
        Literal["loose since", "at rest", "load", "age", "grown", "growth"],
        setting(
            "Measures",
            "Seconds since a piece was let go, 1 where it is at rest, what its glue carries, its seconds since it was shed, the "
            "way that the growth of branches is past, or how many times as long a ruffled sheet is.",
        ),
    ] = "loose since"

    def unit(self) -> str:
        return {"loose since": "seconds", "age": "seconds", "grown": "length"}.get(self.what, "")

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def measure(self, elements: Elements, context: Context) -> Floats:
        del context
        values = elements.attribute(self.what)
        # Where no effect before has done any such thing, nothing has happened yet.
        return np.zeros(len(elements), np.float32) if values is None else np.ascontiguousarray(values, np.float32)
