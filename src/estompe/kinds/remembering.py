"""Kinds that depend on the moments before: what they keep from one to the next is a state, and the rest is evaluation's.

A state is a pure function of the state before and of what is seen now, so that the same scene and frame give the same bits
whatever was asked before, on any number of threads and in any process.
"""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, ClassVar, NamedTuple

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect, Source
from estompe.kinds.settings import whole

LooksPerFrame = Annotated[
    int,
    whole(
        "Substeps",
        "How often a frame the scene is sampled: more catches controls that move fast.",
        low=1,
        high=16,
        folded=True,
    ),
]
"""The setting `looks_per_frame`, for kinds that are looked at more often if wanted."""


class Remembered(Struct, frozen=True, eq=False):
    """What is kept between moments: fields are arrays or plain numbers. Arrays become read-only."""

    def __post_init__(self) -> None:
        for array in self.arrays():
            array.setflags(write=False)

    def arrays(self) -> Iterator[NDArray[Any]]:
        """The arrays among the fields."""
        for name in self.__struct_fields__:
            value = getattr(self, name)
            if isinstance(value, np.ndarray):
                yield value

    def fits(self, count: int) -> bool:
        """Return whether arrays that come from a file have the form of a state of so many elements: one value for each."""
        return all(array.shape == (count,) and array.dtype == np.float32 for array in self.arrays())

    @property
    def nbytes(self) -> int:
        """Bytes of all fields."""
        return sum(array.nbytes for array in self.arrays()) + 8 * len(self.__struct_fields__)


class Values(Remembered, frozen=True, eq=False):
    """One number per element, float32 (n,)."""

    values: Floats


class Seen(NamedTuple):
    """One moment as a kind sees it at its place.

    geometry: the shape as it comes; elements: those that get one strength each; strength: of an effect's routes, float32 (n,),
    ones for a source; context: what else it declared.
    """

    geometry: Geometry
    elements: Elements
    strength: Floats
    context: Context


class Since(NamedTuple):
    """The way from the moment before.

    seconds, frames: how long it is; frame: the number of the moment now; seen: what was seen then; go_on: raises when the work
    is no longer wanted, to be called between the sub-steps of a long step.
    """

    seconds: float
    frames: float
    frame: float
    seen: Callable[[], Seen]
    go_on: Callable[[], None]


class Remembering:
    """What kinds with memory have in common. Their settings are resolved for the moment at which they are asked."""

    __slots__ = ()

    version: ClassVar[int] = 1
    """Raised when `start` or `step` give other bits than before, so that what was kept is not used."""
    state: ClassVar[type[Remembered]] = Values

    def begins(self, first: int) -> int:
        """The frame it starts on. first: the first of the shot."""
        return first

    def looks(self) -> int:
        """How often a frame it is stepped, 1..16, seeing everything as it is in between; as its setting says, if it has one."""
        return int(getattr(self, "looks_per_frame", 1))

    def start(self, now: Seen, frame: float) -> Any:
        """The state on the frame it begins on, and on frames before that."""
        raise NotImplementedError

    def step(self, state: Any, now: Seen, since: Since) -> Any:
        """The state now, from the one before. It must depend on nothing else."""
        raise NotImplementedError


class RememberingSource(Source, Remembering):
    """A source with memory; it gives `values` where others `measure`, and reads nothing unless it says so."""

    def reads(self) -> tuple[str, ...]:
        return ()

    def values(self, state: Any, now: Seen) -> Floats:
        """What is measured, float32 (n,), finite."""
        del now
        values: Floats = state.values
        return values


class RememberingEffect(Effect, Remembering):
    """An effect with memory; it gives `shown` where others `apply`."""

    def shown(self, state: Any, now: Seen) -> Geometry:
        """The geometry after the effect."""
        raise NotImplementedError
