"""Places that remember, what is seen there, and what planning asks about other moments of the same scene."""

from collections.abc import Hashable, Iterator
from typing import Any, NamedTuple, Protocol

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.evaluation.planning.context import EvaluationContext
from estompe.evaluation.planning.looking import OnOtherFrames
from estompe.evaluation.planning.phases import Phases
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.checked import check_strength
from estompe.evaluation.running.schedule import Schedule
from estompe.evaluation.running.stage import Stage
from estompe.geometry import Domain, Geometry
from estompe.geometry.elements import Elements
from estompe.kinds.context import UndeclaredError
from estompe.kinds.remembering import Remembered, Seen


class Place(NamedTuple):
    """Where something remembers: the same one on every frame.

    effects_before: how many of the shape's enabled effects; domain: of the elements; falloff: the one whose layer it is,
    "" for an effect; own: the layer's or the effect's id; asked_by: the effect whose places are measured, "" for the shape
    itself.
    """

    shape: str
    effects_before: int
    domain: Domain
    falloff: str
    own: str
    asked_by: str = ""


class Sight(NamedTuple):
    """A kind at its place on one moment: resolved, what decides the result, and what it is given, which may still have to be run.

    strength: of an effect's routes, None for a source.
    """

    kind: Any
    made_from: Hashable
    stage: Stage[Geometry]
    strength: Values | None
    context: EvaluationContext

    def seen(self) -> Seen:
        """What the kind sees, once everything has been run. Raises CannotEvaluateError where strengths do not fit it."""
        geometry, domain = self.stage.value, self.context.domain
        reads = self.kind.reads() if self.strength is None else None
        elements = Elements(geometry, reads, UndeclaredError, domain)
        asks_places = self.strength is not None and self.kind.asks_places
        count = len(self.context.places.points) if asks_places else len(elements)
        strength = np.ones(count, np.float32) if self.strength is None else self.strength.value
        check_strength(strength, count)
        self.context.check_strengths(count)
        return Seen(geometry, elements, strength, self.context)


class Kept(Struct, frozen=True, eq=False):
    """A state after a frame, of how many elements it is, and what tells those elements from others (`Elements.identity`)."""

    state: Remembered
    count: int
    identity: bytes = b""

    @property
    def nbytes(self) -> int:
        """Bytes of the state."""
        return self.state.nbytes

    def arrays(self) -> Iterator[NDArray[Any]]:
        """The arrays of the state."""
        return self.state.arrays()


class Others(OnOtherFrames, Protocol):
    """What planning asks about other moments."""

    def linked(self, schedule: Schedule, frame: float, place: Place, sight: Sight) -> Stage[Kept]:
        """The stage of a place's state after a frame."""

    def stack_on(
        self, schedule: Schedule, problems: Problems, now: float, frame: float, falloff: str, state: State
    ) -> Stack:
        """A falloff's layers as they are at the same place on another frame; what is wrong there is wrong here (now)."""

    def chain_on(self, schedule: Schedule, problems: Problems, frame: float, shape: str) -> Any:
        """What a shape goes through on another frame, an `EffectChain`; what is wrong there is wrong here."""

    @property
    def phases(self) -> Phases:
        """How far things that change at a speed have come."""

    def running(self, frame: float) -> Any:
        """The `Moment` of another frame, to be run."""

    def at_start(self, schedule: Schedule, frame: float, slot: str, state: State) -> Values | None:
        """An effect's strength on the first frame of the shot; None on that frame itself, where it is found as ever."""
