"""Evaluating away from the interface thread: the newest request wins, and frames ahead are computed meanwhile.

What is still valid after an edit is decided by the tokens of evaluation alone: answers for an older scene stay alive for a while,
so that evaluating their frames again finds every result that did not change and costs only planning.
"""

import threading
import time
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from estompe import faults
from estompe.document.kinds import CannotEvaluateError
from estompe.document.pictures import stamp
from estompe.document.project import Project
from estompe.evaluate.frame import Frame, Shown, evaluate
from estompe.evaluate.ledger import Ledger
from estompe.evaluate.memo import DEFAULT_BUDGET, CancelledError, Memo
from estompe.kernels.compile import use_threads

FRAME_BUDGET = 2 << 30
# A running request gives way to a newer one, but a picture must come at least this often while dragging.
_LONGEST_SILENCE = 0.25
# Longer than this nobody waits for the thread to end; it is a daemon and goes with the process.
_PATIENCE = 1.0


@dataclass(frozen=True, eq=False)
class Request:
    """A frame of a project, with the shape and falloff that are current (ids, or None)."""

    project: Project
    frame: int
    shape: str | None = None
    falloff: str | None = None

    def asks_like(self, other: "Request") -> bool:
        """Whether both are about the very same scene and show the same, on whatever frame."""
        same = self.project.scene is other.project.scene and self.project.assets is other.project.assets
        return same and (self.shape, self.falloff) == (other.shape, other.falloff)


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

    def pictures_unchanged(self) -> bool:
        """Whether the picture files that were looked at are as they were."""
        return all(_stamp(name) == before for name, before in self.frame.stamps.items())


def _stamp(name: str) -> Hashable:
    try:
        return stamp(name)
    except CannotEvaluateError:
        return None


def compute_answer(request: Request, memo: Memo, pause: Callable[[], None] = lambda: None) -> Answer:
    """Answer a request here and now."""
    began = time.perf_counter()
    frame = evaluate(request.project, request.frame, memo, pause)
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
        for number, answer in self._current.items():
            self._older[number] = answer
        self._current.clear()

    def find(self, request: Request) -> Answer | None:
        """The answer for a frame, if there is one for this very scene and selection."""
        if self._for is None or not request.asks_like(self._for):
            return None
        answer = self._current.get(request.frame)
        return answer if answer is not None and answer.pictures_unchanged() else None

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


class Worker:
    """A thread that answers requests. All callbacks come from that thread.

    answered: for each request that was not overtaken; readied: for each frame computed ahead, with its fraction past half;
    failed: with a line for a person, when computing one failed in a way nobody foresaw.
    """

    def __init__(
        self,
        answered: Callable[[Answer], None],
        readied: Callable[[Request, float | None], None],
        frame_budget: int = FRAME_BUDGET,
        failed: Callable[[str], None] = lambda _text: None,
        memo_budget: int = DEFAULT_BUDGET,
    ) -> None:
        self.memo = Memo(memo_budget)
        self._answered, self._readied, self._failed = answered, readied, failed
        self._answers = Answers(frame_budget)
        self._wake = threading.Condition()
        self._waiting: Request | None = None
        self._stopping = False
        self.threads = 0
        """How many threads kernels use from the next request on; 0 for all."""
        self._last_answer = 0.0
        self._thread = threading.Thread(target=self._run, name="estompe-evaluate", daemon=True)
        self._thread.start()

    def ask(self, request: Request) -> None:
        """Ask for a frame; a request that is still waiting is forgotten."""
        with self._wake:
            self._waiting = request
            self._wake.notify()

    def set_budgets(self, memo: int, frames: int) -> None:
        """Change how many bytes of results and of frames are kept."""
        with self._wake:
            self.memo.budget, self._answers.budget = memo, frames

    def ready(self, request: Request) -> Answer | None:
        """The answer, if that frame has already been computed for this scene, shape and falloff."""
        with self._wake:
            return self._answers.find(request)

    def ready_frames(self) -> set[int]:
        """The frames that are ready."""
        with self._wake:
            return set(self._answers.all())

    def fractions(self) -> dict[int, float]:
        """The fraction past half strength of each frame that is ready."""
        with self._wake:
            answers = self._answers.all()
        return {frame: answer.past_half for frame, answer in answers.items() if answer.past_half is not None}

    def course(self, shape: str, element: int) -> dict[int, float]:
        """The strength of one element on each frame that is ready."""
        with self._wake:
            answers = self._answers.all()
        found = {}
        for frame, answer in answers.items():
            shown = answer.shown.get(shape)
            if shown is not None and element < len(shown.strength):
                found[frame] = float(shown.strength[element])
        return found

    def stop(self) -> None:
        """End the thread; unfinished work is dropped, and a stage that cannot be interrupted is not waited for."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        self._thread.join(_PATIENCE)

    def forget(self) -> None:
        """Let go of all results and answers, once nobody will ask any more."""
        with self._wake:
            self._answers = Answers(self._answers.budget)
            self.memo = Memo(self.memo.budget)

    def _run(self) -> None:
        while True:
            request = self._next()
            if request is None:
                return
            try:
                use_threads(self.threads)
                self._answer(request)
                self._fill_ahead(request)
            except CancelledError:
                continue
            except Exception as error:  # whatever it is, the next request must find the thread alive
                text = faults.record(error, f"Computing frame {request.frame}")
                if not self._stopping:
                    self._failed(text)

    def _next(self) -> Request | None:
        with self._wake:
            while self._waiting is None and not self._stopping:
                self._wake.wait()
            request, self._waiting = self._waiting, None
            if request is not None:
                self._answers.begin(request)
            return None if self._stopping else request

    def _answer(self, request: Request) -> None:
        answer = self.ready(request) or compute_answer(request, self.memo, self._pause)
        self._store(answer)
        self._last_answer = time.monotonic()
        if not self._stopping:
            self._answered(answer)

    def _fill_ahead(self, request: Request) -> None:
        for number in _ahead(request):
            if self._answers.has(number):
                continue
            if self._answers.full:
                return
            self._stop_if_wanted()
            ahead = Request(request.project, number, request.shape, request.falloff)
            answer = compute_answer(ahead, self.memo, self._stop_if_wanted)
            self._stop_if_wanted()
            self._store(answer)
            self._readied(ahead, answer.past_half)

    def _store(self, answer: Answer) -> None:
        with self._wake:
            self._answers.put(answer)

    def _pause(self) -> None:
        if self._waiting is not None and time.monotonic() - self._last_answer < _LONGEST_SILENCE:
            raise CancelledError
        if self._stopping:
            raise CancelledError

    def _stop_if_wanted(self) -> None:
        if self._waiting is not None or self._stopping:
            raise CancelledError


def _ahead(request: Request) -> Iterator[int]:
    """The frames of the shot in the order playing would come to them."""
    scene = request.project.scene
    count = scene.last - scene.first + 1
    for step in range(1, count):
        yield scene.first + (request.frame - scene.first + step) % count
