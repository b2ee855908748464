"""What catches from its neighbours and spreads over a shape."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry.random import random_of
from estompe.kernels.spread import spread
from estompe.kernels.types import Floats, Matrix
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.remembering import Remembered, RememberingSource, Seen, Since
from estompe.kinds.settings import setting, whole

_HALF = np.float32(0.5)


class Spreading(Remembered, frozen=True, eq=False):
    """The value of each element, float32 (n,), when it was caught, float64 (n,), infinite before that, and the time, seconds."""

    values: Floats
    caught: Matrix
    clock: float

    def fits(self, count: int) -> bool:
        whole = self.values.shape == self.caught.shape == (count,)
        return whole and self.values.dtype == np.float32 and self.caught.dtype == np.float64


@register
class Spread(RememberingSource, tag="spread"):
    """A front runs over the surface at a pace; where it comes an element catches and rises to 1.

    By neighbours, an element catches when the mean of its neighbours is over a threshold; how fast that goes depends on the mesh.
    """

    group: ClassVar[str] = "time"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Spread"
    text: ClassVar[str] = "Starts where another falloff is, runs over the surface at a pace, and rises to 1."
    words: ClassVar[str] = (
        "infect, infection, contagion, fire, burn, diffuse, creep, growth, flood fill, propagate, catch "
        "fire, simulation, virus, contaminate"
    )
    state: ClassVar[type[Remembered]] = Spreading

    falloff: Annotated[
        Identifier,
        setting(
            "Start falloff",
            "The falloff where spreading begins; values are never below its strength.",
            refers="falloff",
        ),
    ]
    threshold: Annotated[
        Number,
        setting(
            "Threshold",
            "The mean strength of its neighbours at which an element catches: more slows spreading down.",
            low=0.0,
            high=1.0,
            step=0.01,
            when=("by", ("neighbours",)),
        ),
    ] = 0.1
    rise: Annotated[
        Number,
        setting(
            "Rate",
            "How much a caught element rises in a second: more makes the front steeper.",
            low=0.0,
            high=1000.0,
            step=0.1,
        ),
    ] = 4.0
    varied: Annotated[
        Number,
        setting(
            "Rate variation", "The random difference of the rate between elements: more makes the front more uneven.",
            unit="fraction", low=0.0, high=1.0, step=0.01,
        ),
    ] = 0.5  # fmt: skip
    uneven: Annotated[
        Number,
        setting(
            "Threshold variation", "The random difference of the threshold between elements: more makes the border more ragged.",
            unit="fraction", low=0.0, high=1.0, step=0.01,
        ),
    ] = 0.5  # fmt: skip
    barrier: Annotated[
        Identifier | None,
        setting("Barrier", "A falloff that slows spreading down: at full strength it stops it.", refers="falloff"),
    ] = None
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed lets other elements catch first.",
            low=0,
            high=2**31 - 1,
            folded=True,
        ),
    ] = 1
    substeps: Annotated[
        int,
        whole(
            "Substeps",
            "How often a frame elements compare themselves with their neighbours: more follows fast fronts.",
            low=1,
            high=64,
            folded=True,
            when=("by", ("neighbours",)),
        ),
    ] = 4
    by: Annotated[
        Literal["pace", "neighbours"],
        setting(
            "Progress",
            "Whether the front runs at a speed in scene units, whatever the mesh, or from neighbour to neighbour.",
        ),
    ] = "pace"
    pace: Annotated[
        Number,
        setting(
            "Speed",
            "How far the front runs in a second: more spreads faster.",
            unit="length",
            low=0.0,
            high=1e5,
            step=0.01,
            when=("by", ("pace",)),
        ),
    ] = 0.5

    def reads(self) -> tuple[str, ...]:
        return ("topology", "rest", "matrix") if self.by == "pace" else ("topology",)

    def start(self, now: Seen, frame: float) -> Spreading:
        del frame
        values = self._start(now)
        if self.by == "neighbours":
            return Spreading(values, np.full(len(values), np.inf), 0.0)
        return Spreading(values, np.where(values > _HALF, 0.0, np.inf), 0.0)

    def _start(self, now: Seen) -> Floats:
        return np.clip(now.context.strength(self.falloff), np.float32(0.0), np.float32(1.0))

    def step(self, state: Spreading, now: Seen, since: Since) -> Spreading:
        if self.by == "neighbours":
            return Spreading(self._from_neighbours(state.values, now, since), state.caught, 0.0)
        clock = state.clock + since.seconds
        start = self._start(now)
        slowness, linear = self._slowness(now), now.context.shape_matrix[:, :3]
        caught = np.minimum(state.caught, self._covered(state, since, start))
        caught = np.minimum(caught, now.elements.beside(linear, start, caught, slowness))
        caught = now.elements.followed(linear, caught, slowness, state.clock, clock)
        rate = self._vary(now.elements.ids, self.seed, plain(self.varied)) * np.float32(plain(self.rise))
        late = self._late(now.elements.ids)
        risen = np.clip(clock - np.maximum(caught + late, state.clock), 0.0, None).astype(np.float32)
        values = np.minimum(state.values + rate * risen, np.float32(1.0))
        return Spreading(np.maximum(values, start), caught, clock)

    def _covered(self, state: Spreading, since: Since, start: Floats) -> Matrix:
        """When the place where it starts came over elements since the last moment, float64 (n,), by a straight line."""
        covered = start > _HALF
        if not (covered & np.isinf(state.caught)).any():
            return np.full(len(start), np.inf)
        before = np.minimum(self._start(since.seen()), _HALF).astype(np.float64)
        part = (0.5 - before) / np.maximum(start - before, 1e-12)
        return np.where(covered, state.clock + since.seconds * np.clip(part, 0.0, 1.0), np.inf)

    def _slowness(self, now: Seen) -> Matrix:
        """Seconds a scene unit, float64 (n,)."""
        speed = np.full(len(now.elements), plain(self.pace))
        if self.barrier is not None:
            speed *= np.clip(1.0 - now.context.strength(self.barrier).astype(np.float64), 0.0, 1.0)
        slowness: Matrix = np.divide(1.0, speed, out=np.full(len(speed), np.inf), where=speed > 0.0)
        return slowness

    def _late(self, ids: np.ndarray) -> Matrix:
        """How long each element waits once the front has come, seconds, float64 (n,)."""
        rise = max(plain(self.rise), 1e-6)
        late: Matrix = plain(self.uneven) / rise * random_of(ids, self.seed + 1).astype(np.float64)
        return late

    def _from_neighbours(self, values: Floats, now: Seen, since: Since) -> Floats:
        elements = now.elements
        around, members = elements.neighbours
        rate = self._vary(elements.ids, self.seed, plain(self.varied))
        rate *= np.float32(plain(self.rise) * since.seconds / self.substeps)
        if self.barrier is not None:
            rate *= np.clip(np.float32(1.0) - now.context.strength(self.barrier), np.float32(0.0), np.float32(1.0))
        limit = self._vary(elements.ids, self.seed + 1, plain(self.uneven)) * np.float32(plain(self.threshold))
        limit *= np.diff(around).astype(np.float32)
        # Who never rises never catches either, so that a barrier is not passed.
        return spread(
            values, self._start(now), (around, members), elements.neighbour_blocks, rate, limit, self.substeps
        )

    def _vary(self, ids: np.ndarray, seed: int, amount: float) -> Floats:
        """Numbers around 1 that stay with the elements."""
        return np.float32(1.0) + np.float32(amount) * (np.float32(2.0) * random_of(ids, seed) - np.float32(1.0))
