"""What another falloff leaves behind, and what fades."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.remembering import LooksPerFrame, RememberingSource, Seen, Since, Values
from estompe.kinds.settings import setting


@register
class AfterGlow(RememberingSource, tag="after-glow"):
    """The strength of another falloff; once that falls, it fades to half in a time of its own, and so on."""

    group: ClassVar[str] = "time"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "After-glow"
    text: ClassVar[str] = "The strength of another falloff, which fades slowly after that has passed."
    words: ClassVar[str] = "decay, fade, fade out, cool down, afterimage, half life, release, ease out, memory, residue"

    falloff: Annotated[Identifier, setting("Falloff", "The falloff whose strength leaves a glow.", refers="falloff")]
    half: Annotated[
        Number,
        setting(
            "Half-life",
            "Seconds until half of the glow is left: more keeps it longer.",
            low=0.0,
            high=1000.0,
            step=0.01,
        ),
    ] = 0.5
    looks_per_frame: LooksPerFrame = 1

    def start(self, now: Seen, frame: float) -> Values:
        del frame
        return Values(now.context.strength(self.falloff))

    def step(self, state: Values, now: Seen, since: Since) -> Values:
        half = plain(self.half)
        left = np.float32(0.5 ** (since.seconds / half)) if half > 0.0 else np.float32(0.0)
        return Values(np.maximum(state.values * left, now.context.strength(self.falloff)))
