"""What another falloff reached once stays."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.kinds.registry import register
from estompe.kinds.remembering import LooksPerFrame, RememberingSource, Seen, Since, Values
from estompe.kinds.settings import setting


@register
class Stays(RememberingSource, tag="stays"):
    """The largest strength of another falloff so far."""

    group: ClassVar[str] = "time"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Hold maximum"
    text: ClassVar[str] = "The largest strength another falloff has had so far, so that what was reached stays."
    words: ClassVar[str] = (
        "accumulate, hold, maximum, trail, permanent, latch, keep, record, memory, leave behind, peak hold"
    )

    falloff: Annotated[Identifier, setting("Falloff", "The falloff whose strength is remembered.", refers="falloff")]
    looks_per_frame: LooksPerFrame = 1

    def start(self, now: Seen, frame: float) -> Values:
        del frame
        return Values(now.context.strength(self.falloff))

    def step(self, state: Values, now: Seen, since: Since) -> Values:
        del since
        return Values(np.maximum(state.values, now.context.strength(self.falloff)))
