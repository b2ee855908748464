"""What is asked of evaluation and what it answers: a frame with the current falloff on it, kept within a budget."""

import time
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from estompe.document.project import Project
from estompe.evaluation.frame import Frame, Shown, evaluate
from estompe.evaluation.running.ledger import Ledger
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.time.past import Past
from estompe.importing.footage import stamp_of
from estompe.importing.pictures import stamp
from estompe.kinds.context import CannotEvaluateError


@dataclass(frozen=True, eq=False)
class Request:
    """A frame of a project, with the shape and falloff that are current (ids, or None).

    rough: how many times as large voxels may be, more than 1 while something is dragged.
    """

    project: Project
    frame: int
    shape: str | None = None
    falloff: str | None = None
    rough: float = 1.0

    def asks_like(self, other: "Request") -> bool:
        """Whether both are about the very same scene and show the same, on whatever frame."""
        same = self.project.scene is other.project.scene and self.project.assets is other.project.assets
        return same and (self.shape, self.falloff, self.rough) == (other.shape, other.falloff, other.rough)


@dataclass(frozen=True, eq=False)
class Answer:
    """A frame that was computed, with the current falloff on the shapes that show it, by shape id."""

    request: Request
    frame: Frame
    shown: dict[str, Shown]
    milliseconds: float

    @property
    def current(self) -> Shown | None:
        """The current falloff on the current shape."""
        return self.shown.get(self.request.shape or "")

    @property
    def past_half(self) -> float | None:
        """The fraction of the current shape whose strength is over one half."""
        return None if self.current is None else self.current.past_half

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array the answer keeps alive."""
        yield from self.frame.arrays()
        for shown in self.shown.values():
            yield from shown.arrays()

    def files_unchanged(self) -> bool:
        """Whether the pictures and animated files that were looked at are as they were; this asks for each of them."""
        pictures = all(_stamp(name) == before for name, before in self.frame.stamps.items())
        return pictures and all(stamp_of(reading) == before for reading, before in self.frame.footages.items())


def _stamp(name: str) -> Hashable:
    try:
        return stamp(name)
    except CannotEvaluateError:
        return None


def compute_answer(
    request: Request, memo: Memo, pause: Callable[[], None] = lambda: None, past: Past | None = None
) -> Answer:
    """Answer a request here and now."""
    began = time.perf_counter()
    frame = evaluate(request.project, request.frame, memo, pause, past)
    shown = {}
    for shape in frame.scene.shapes:
        pause()
        frame[shape.id].prepare()  # here, not on the thread that draws
        if request.falloff is not None and _shows(shape.id, request, frame):
            try:
                shown[shape.id] = frame.shown(shape.id, request.falloff)
                shown[shape.id].past_half  # noqa: B018
                shown[shape.id].prepare(frame[shape.id])
            except (KeyError, CannotEvaluateError):
                continue
    current = shown.get(request.shape or "")
    if current is not None:
        current.edges_across  # noqa: B018
    frame.finish()
    return Answer(request, frame, shown, (time.perf_counter() - began) * 1000)


def _shows(shape_id: str, request: Request, frame: Frame) -> bool:
    """The current shape shows the falloff, and so does every shape that it drives."""
    if shape_id == request.shape:
        return True
    routes = (route for slot in frame.shape(shape_id).effects for route in slot.routes)
    return any(route.falloff == request.falloff for route in routes)


class Answers:
    """Answers by frame, within a budget; those farthest from the newest one are evicted first."""

    def __init__(self, budget: int) -> None:
        self.budget = budget
        self._current: dict[int, Answer] = {}
        self._older: dict[int, Answer] = {}
        self._ledger = Ledger()
        self._for: Request | None = None

    @property
    def full(self) -> bool:
        """Whether another answer would be over the budget."""
        return self._ledger.total > self.budget

    def begin(self, request: Request) -> None:
        """From now on answers are for this scene and selection; what there is for others only keeps its results alive."""
        if self._for is not None and request.asks_like(self._for):
            return
        self._for = request
        self.outdate()

    def outdate(self) -> None:
        """No answer is given out any more; what there is only keeps its results alive until there is no room for it."""
        self._older.update(self._current)
        self._current.clear()

    def find(self, request: Request) -> Answer | None:
        """The answer for a frame, if there is one for this very scene and selection; its files may have changed since."""
        if self._for is None or not request.asks_like(self._for):
            return None
        return self._current.get(request.frame)

    def put(self, answer: Answer) -> None:
        """Keep an answer, and evict others past the budget."""
        number = answer.request.frame
        self._older.pop(number, None)
        self._current[number] = answer
        self._ledger.enter(number, answer)
        while self.full and len(self._current) + len(self._older) > 1:
            self._evict(number)

    def _evict(self, near: int) -> None:
        store = self._older or self._current
        far = max((number for number in store if number != near), key=lambda number: abs(number - near), default=None)
        if far is None:
            store = self._current
            far = max((number for number in store if number != near), key=lambda number: abs(number - near))
        del store[far]
        if far not in self._current and far not in self._older:
            self._ledger.remove(far)

    def has(self, frame: int) -> bool:
        """Whether a frame is there for the current scene and selection."""
        return frame in self._current

    def all(self) -> dict[int, Answer]:
        """The answers for the current scene and selection."""
        return dict(self._current)
