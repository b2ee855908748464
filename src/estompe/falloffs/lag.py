"""Another falloff as it was some time ago, for each element another time."""

import math
from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole

_MOST = 240.0


@register
class Lag(Source, tag="lag"):
    """The strength another falloff had some frames ago: all alike, at random, or by a third falloff."""

    group: ClassVar[str] = "time"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Lag"
    text: ClassVar[str] = "The strength another falloff had some frames ago, for each element its own number of frames."
    words: ClassVar[str] = (
        "delay, offset time, time offset, follow through, stagger, late, latency, echo, time shift, overlap, "
        "anticipation, cascade, phase offset"
    )

    falloff: Annotated[Identifier, setting("Falloff", "The falloff whose earlier strength is used.", refers="falloff")]
    frames: Annotated[
        Number,
        setting(
            "Frames", "The longest lag: more lets elements follow later.", unit="frames", low=0.0, high=_MOST, step=0.1
        ),
    ] = 12.0
    by: Annotated[
        Literal["all alike", "random", "falloff"],
        setting(
            "Variation", "Whether all elements lag alike, by random shares, or by the strength of another falloff."
        ),
    ] = "random"
    share: Annotated[
        Identifier | None,
        setting(
            "Lag falloff",
            "A falloff that says how much each element lags: at full strength by all frames.",
            refers="falloff",
            when=("by", ("falloff",)),
        ),
    ] = None
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed gives other lags.",
            low=0,
            high=2**31 - 1,
            when=("by", ("random",)),
        ),
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def other_frames(self) -> tuple[float, ...]:
        longest = min(plain(self.frames), _MOST)
        if self.by == "all alike":
            return (-longest,) if longest > 0.0 else ()
        return tuple(-float(number) for number in range(1, math.ceil(longest) + 1))

    def measure(self, elements: Elements, context: Context) -> Floats:
        frames = self.other_frames()
        if not frames:
            return context.strength(self.falloff)
        if self.by == "all alike":
            return context.strength(self.falloff, frames[0])
        lag = self._share(elements, context) * np.float32(min(plain(self.frames), _MOST))
        whole_frames = np.minimum(lag.astype(np.int32), len(frames) - 1)
        part = lag - whole_frames.astype(np.float32)
        found = np.zeros(len(elements), np.float32)
        earlier = context.strength(self.falloff)
        for number, offset in enumerate(frames):
            later, earlier = earlier, context.strength(self.falloff, offset)
            chosen = np.flatnonzero(whole_frames == number)
            found[chosen] = later[chosen] * (np.float32(1.0) - part[chosen]) + earlier[chosen] * part[chosen]
        return found

    def _share(self, elements: Elements, context: Context) -> Floats:
        if self.by == "random":
            return random_of(elements.ids, self.seed)
        if self.share is None:
            return np.ones(len(elements), np.float32)
        return np.clip(context.strength(self.share), np.float32(0.0), np.float32(1.0))
