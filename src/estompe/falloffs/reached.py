"""When another falloff first passed a strength."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.remembering import LooksPerFrame, Remembered, RememberingSource, Seen, Since
from estompe.kinds.settings import setting

NOT_YET = np.float32(1e6)
"""The frame or second for elements that have not been reached."""


class Reaching(Remembered, frozen=True, eq=False):
    """The frame and second on which each element was reached, and the strength it has now, float32 (n,)."""

    frames: Floats
    seconds: Floats
    strength: Floats


@register
class Reached(RememberingSource, tag="reached"):
    """The frame on which each element first passed a strength of another falloff, by a straight line between looks."""

    group: ClassVar[str] = "time"
    label: ClassVar[str] = "Arrival time"
    text: ClassVar[str] = "The frame or second on which each element first passed a strength of another falloff."
    words: ClassVar[str] = (
        "arrival, trigger, when, event, time reached, start time, timing, activation, age, timestamp, "
        "keyframe trigger, switch"
    )
    state: ClassVar[type[Remembered]] = Reaching

    falloff: Annotated[Identifier, setting("Falloff", "The falloff whose strength is remembered.", refers="falloff")]
    threshold: Annotated[
        Number,
        setting(
            "Threshold",
            "The strength that has to be passed: more makes elements count later.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    told: Annotated[
        Literal["frame", "second", "seconds since"],
        setting("Output", "Which value is given: the frame, the second of the shot, or the seconds since then."),
    ] = "frame"
    looks_per_frame: LooksPerFrame = 1

    def unit(self) -> str:
        return "frames" if self.told == "frame" else ""

    def clock(self, seconds: float, frame: float) -> float:
        del frame
        return seconds

    def start(self, now: Seen, frame: float) -> Reaching:
        strength = now.context.strength(self.falloff)
        is_past = strength > plain(self.threshold)
        return Reaching(_where(is_past, frame), _where(is_past, now.context.clock), strength)

    def step(self, state: Reaching, now: Seen, since: Since) -> Reaching:
        strength, threshold = now.context.strength(self.falloff), np.float32(plain(self.threshold))
        newly = (state.frames == NOT_YET) & (strength > threshold)
        rise = np.maximum(strength - state.strength, np.float32(1e-12))
        left = np.float32(1.0) - np.clip((threshold - state.strength) / rise, np.float32(0.0), np.float32(1.0))
        frames = np.float32(since.frame) - left * np.float32(since.frames)
        seconds = np.float32(now.context.clock) - left * np.float32(since.seconds)
        return Reaching(np.where(newly, frames, state.frames), np.where(newly, seconds, state.seconds), strength)

    def values(self, state: Reaching, now: Seen) -> Floats:
        if self.told == "frame":
            return state.frames
        if self.told == "second":
            return state.seconds
        since: Floats = np.maximum(np.float32(now.context.clock) - state.seconds, np.float32(0.0))
        return since


def _where(is_past: NDArray[np.bool_], value: float) -> Floats:
    return np.where(is_past, np.float32(value), NOT_YET).astype(np.float32)
