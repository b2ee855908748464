"""Places that remember, their states, and what planning asks about other frames of the same scene."""

from collections.abc import Iterator
from typing import Any, NamedTuple, Protocol

from msgspec import Struct
from numpy.typing import NDArray

from estompe.evaluation.planning.inputs import View
from estompe.evaluation.planning.phases import Phases
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.node import Node
from estompe.evaluation.running.schedule import Schedule
from estompe.geometry import Domain
from estompe.kinds.remembering import Remembered


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


class Others(Protocol):
    """What planning asks about other frames. Nodes come as nodes of the plan that asks, run by its schedule."""

    def parts_on(self, frame: float) -> ResolvedScene:
        """The resolved scene on another frame."""

    def state_on(self, schedule: Schedule, frame: float, state: State) -> State:
        """The same place of the same shape on another frame."""

    def strength_on(self, schedule: Schedule, now: float, frame: float, falloff: str, state: State) -> Values:
        """A falloff's strength as it is at the same place on another frame, on the elements of this one (now)."""

    def stack_on(
        self, schedule: Schedule, problems: Problems, now: float, frame: float, falloff: str, state: State
    ) -> Stack:
        """A falloff's layers as they are at the same place on another frame; what is wrong there is wrong here (now)."""

    def chain_on(self, schedule: Schedule, problems: Problems, frame: float, shape: str) -> Any:
        """What a shape goes through on another frame, an `EffectChain`; what is wrong there is wrong here."""

    def at_start(self, schedule: Schedule, frame: float, slot: str, state: State) -> Values | None:
        """An effect's strength on the first frame of the shot; None on that frame itself, where it is found as ever."""

    def state_after(self, schedule: Schedule, frame: float, place: Place, view: View) -> Node[Kept]:
        """The node of a place's state after a frame."""

    @property
    def phases(self) -> Phases:
        """How far things that change at a speed have come."""

    def running(self, frame: float) -> Any:
        """The `Plan` of another frame, to be run."""
