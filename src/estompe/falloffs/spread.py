"""What catches from its neighbours and spreads over a shape."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.numbers import Number, plain
from estompe.document.registry import register
from estompe.document.remembering import RememberingSource, Seen, Since, Values
from estompe.document.scene import Identifier
from estompe.document.settings import setting, whole
from estompe.geometry.random import random_of
from estompe.kernels.spread import spread
from estompe.kernels.types import Floats


@register
class Spread(RememberingSource, tag="spread"):
    """An element catches when the mean of its neighbours is over a threshold, and then rises to 1."""

    group: ClassVar[str] = "time"
    label: ClassVar[str] = "Spread"
    text: ClassVar[str] = "Starts where another falloff is, catches from neighbour to neighbour, and rises to 1."

    falloff: Annotated[
        Identifier,
        setting("Starts at", "The falloff where it starts; values are never under its strength.", refers="falloff"),
    ]
    threshold: Annotated[
        Number,
        setting(
            "Catches over", "The mean of its neighbours from which an element catches.", low=0.0, high=1.0, step=0.01
        ),
    ] = 0.1
    rise: Annotated[
        Number,
        setting("Rises by", "How much an element that has caught rises in a second.", low=0.0, high=1000.0, step=0.1),
    ] = 4.0
    varied: Annotated[
        Number,
        setting(
            "Varied",
            "How much slower or faster each element rises, at random.",
            unit="fraction", low=0.0, high=1.0, step=0.01,
        ),
    ] = 0.5  # fmt: skip
    uneven: Annotated[
        Number,
        setting(
            "Uneven",
            "How much later or sooner each element catches, at random.",
            unit="fraction", low=0.0, high=1.0, step=0.01,
        ),
    ] = 0.5  # fmt: skip
    barrier: Annotated[
        Identifier | None,
        setting("Held back by", "A falloff that slows it down; at full strength it never passes.", refers="falloff"),
    ] = None
    seed: Annotated[
        int, whole("Seed", "Another number, other elements go first.", low=0, high=2**31 - 1, folded=True)
    ] = 1
    substeps: Annotated[
        int,
        whole("Sub-steps", "How often a frame elements look at their neighbours.", low=1, high=64, folded=True),
    ] = 4

    def reads(self) -> tuple[str, ...]:
        return ("topology",)

    def start(self, now: Seen, frame: float) -> Values:
        del frame
        return Values(self._start(now))

    def _start(self, now: Seen) -> Floats:
        return np.clip(now.context.strength(self.falloff), np.float32(0.0), np.float32(1.0))

    def step(self, state: Values, now: Seen, since: Since) -> Values:
        elements = now.elements
        around, members = elements.neighbours
        rate = self._vary(elements.ids, self.seed, plain(self.varied))
        rate *= np.float32(plain(self.rise) * since.seconds / self.substeps)
        if self.barrier is not None:
            rate *= np.clip(np.float32(1.0) - now.context.strength(self.barrier), np.float32(0.0), np.float32(1.0))
        limit = self._vary(elements.ids, self.seed + 1, plain(self.uneven)) * np.float32(plain(self.threshold))
        limit *= np.diff(around).astype(np.float32)
        # Who never rises never catches either, so that a barrier is not passed.
        return Values(
            spread(
                state.values, self._start(now), (around, members), elements.neighbour_blocks, rate, limit, self.substeps
            )
        )

    def _vary(self, ids: np.ndarray, seed: int, amount: float) -> Floats:
        """Numbers around 1 that stay with the elements."""
        return np.float32(1.0) + np.float32(amount) * (np.float32(2.0) * random_of(ids, seed) - np.float32(1.0))
