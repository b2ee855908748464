"""Evaluating away from the interface thread: the newest request wins, and frames ahead are computed meanwhile.

What is still valid after an edit is decided by the tokens of evaluation alone: answers for an older scene stay alive for a while,
so that evaluating their frames again finds every result that did not change and costs only planning.
"""

import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from estompe.document.project import Project
from estompe.evaluation.background.answers import Answer, Answers, Request, compute_answer
from estompe.evaluation.background.newest import NewestThread
from estompe.evaluation.planning.others import Place
from estompe.evaluation.running.memo import DEFAULT_BUDGET, CancelledError, Memo
from estompe.evaluation.time.keep import DEFAULT_BUDGET as STATES_BUDGET
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.past import Progress as PastProgress
from estompe.evaluation.time.past import Standing as PlaceStanding
from estompe.evaluation.time.state_files import StateFolder
from estompe.kernels.compile import use_threads

FRAME_BUDGET = 2 << 30
# A running request gives way to a newer one, but a picture must come at least this often while dragging.
_LONGEST_SILENCE = 0.25
# Waiting for the thread to end takes at most this long; it is a daemon and ends with the process.
_PATIENCE = 1.0
# How often it is told how far a past has been worked out, and how long one may take before anything is said, seconds.
_TOLD_EVERY, _SHORT = 0.05, 0.15


@dataclass(frozen=True, eq=False)
class Standing:
    """How far what a scene remembers has been worked out.

    places: by place; working: the step at hand, or None; stale_from: the first frame whose states an edit made others of and that
    have not been worked out again, or None; stopped: whether the person stopped it; trouble: what keeps states from being kept.
    """

    project: Project
    places: dict[Place, PlaceStanding]
    working: PastProgress | None = None
    stale_from: int | None = None
    stopped: bool = False
    trouble: str = ""

    @property
    def kept(self) -> set[int]:
        """The frames on which every place has its state."""
        each = [place.frames for place in self.places.values()]
        return set.intersection(*each) if each else set()


class Worker:
    """A thread that answers requests. All callbacks come from that thread.

    answered: for each request that was not overtaken; readied: for each frame computed ahead, with its fraction past half;
    failed: with a line for a person, when computing one failed in a way nobody foresaw; stood: how far what is remembered has
    been worked out, some times a second while it is.
    """

    def __init__(
        self,
        answered: Callable[[Answer], None],
        readied: Callable[[Request, float | None], None],
        frame_budget: int = FRAME_BUDGET,
        failed: Callable[[str], None] = lambda _text: None,
        memo_budget: int = DEFAULT_BUDGET,
        stood: Callable[[Standing], None] = lambda _standing: None,
        states: StateFolder | None = None,
    ) -> None:
        self.memo = Memo(memo_budget)
        self.keep = Keep(folder=states)
        self._stood = stood
        self._past: Past | None = None
        self._before: Past | None = None
        self._at_work: PastProgress | None = None
        self._stopped = False
        self._begun, self._told = 0.0, 0.0
        self._busy_since: float | None = None
        self._answered, self._readied, self._failed = answered, readied, failed
        self._answers = Answers(frame_budget)
        self._lock = threading.Lock()
        self.standing: Standing | None = None
        """How far what is remembered has been worked out; a step is in it before it is run, however long it takes."""
        self.threads = 0
        """How many threads kernels use from the next request on; 0 for all."""
        self._last_answer = 0.0
        self._thread = NewestThread(
            "evaluation", self._work, self._failed, lambda request: f"Computing frame {request.frame}"
        )

    def ask(self, request: Request) -> None:
        """Ask for a frame; a request that is still waiting is forgotten, and what was stopped goes on."""
        self._stopped = False
        self._thread.give(request)

    @property
    def busy(self) -> float:
        """For how many seconds the answer that is being computed has been worked on; 0 where none is."""
        since = self._busy_since
        return 0.0 if since is None else time.monotonic() - since

    @property
    def stopped(self) -> bool:
        """Whether a person stopped the work, and no request has come since."""
        return self._stopped

    def stop_work(self) -> bool:
        """Stop working out what is remembered or takes long, until somebody asks again. Returns whether there was anything."""
        running = (self._past is not None and self._at_work is not None) or self.busy > _SHORT
        self._stopped = self._stopped or running
        return running

    def set_budgets(self, memo: int, frames: int, states: int = STATES_BUDGET) -> None:
        """Change how many bytes of results, of frames and of states are kept."""
        with self._lock:
            self.memo.budget, self._answers.budget, self.keep.budget = memo, frames, states

    def ready(self, request: Request) -> Answer | None:
        """The answer, if that frame has already been computed for this scene, shape and falloff.

        No file is looked at: where one has changed, asking for the frame gives a new answer.
        """
        with self._lock:
            return self._answers.find(request)

    def ready_frames(self) -> set[int]:
        """The frames that are ready."""
        with self._lock:
            return set(self._answers.all())

    def fractions(self) -> dict[int, float]:
        """The fraction past half strength of each frame that is ready."""
        with self._lock:
            answers = self._answers.all()
        return {frame: answer.past_half for frame, answer in answers.items() if answer.past_half is not None}

    def course(self, shape: str, element: int) -> dict[int, float]:
        """The strength of one element on each frame that is ready."""
        with self._lock:
            answers = self._answers.all()
        found = {}
        for frame, answer in answers.items():
            shown = answer.shown.get(shape)
            if shown is not None and element < len(shown.strength):
                found[frame] = float(shown.strength[element])
        return found

    def stop(self) -> None:
        """End the thread; unfinished work is dropped, and a stage that cannot be interrupted is not waited for."""
        self._thread.stop(_PATIENCE)

    def forget(self) -> None:
        """Release all results and answers at the end."""
        with self._lock:
            self._answers = Answers(self._answers.budget)
            self.memo = Memo(self.memo.budget)
            self._past = self._before = None
            self.keep = Keep(self.keep.budget, self.keep.folder)

    def _work(self, request: Request) -> None:
        with self._lock:
            self._answers.begin(request)
        use_threads(self.threads)
        try:
            self._answer(request)
            self._fill_ahead(request)
        except CancelledError:
            self._rest()
            raise

    def _answer(self, request: Request) -> None:
        self._begun = self._busy_since = time.monotonic()
        try:
            self._give(request)
        finally:
            self._busy_since = None

    def _give(self, request: Request) -> None:
        answer = self.ready(request)
        if answer is not None and not answer.files_unchanged():
            answer = None
            with self._lock:
                self._answers.outdate()
        if answer is None:
            answer = compute_answer(request, self.memo, self._pause, self._past_of(request, self._pause_between_steps))
        self._rest()
        self._store(answer)
        self._last_answer = time.monotonic()
        if not self._thread.stopping:
            self._answered(answer)

    def _fill_ahead(self, request: Request) -> None:
        if request.rough > 1.0:
            return  # answers to drags are not played
        for number in _ahead(request):
            if self._answers.has(number):
                continue
            if self._answers.full:
                return
            self._stop_if_wanted()
            ahead = Request(request.project, number, request.shape, request.falloff)
            past = self._past_of(ahead, self._stop_if_wanted)
            answer = compute_answer(ahead, self.memo, self._stop_if_wanted, past)
            self._rest()
            self._stop_if_wanted()
            self._store(answer)
            self._readied(ahead, answer.past_half)

    def _store(self, answer: Answer) -> None:
        with self._lock:
            self._answers.put(answer)

    def _past_of(self, request: Request, pause: Callable[[], None]) -> Past:
        """The other moments of a request's scene, which all its frames share."""
        project, past = request.project, self._past
        same = past is not None and past.project.scene is project.scene and past.project.assets is project.assets
        if past is None or not same or past.rough != request.rough:
            self._before = past
            past = self._past = Past(project, self.memo, self.keep, report=self._report, rough=request.rough)
        past.pause = pause
        return past

    def _report(self, progress: PastProgress) -> None:
        """A step of a past begins."""
        self._at_work = progress
        if self._stopped:
            raise CancelledError
        self.standing = self._found_standing()
        now = time.monotonic()
        if now - self._told > _TOLD_EVERY and now - self._begun > _SHORT:
            self._told = now
            self._tell()

    def _rest(self) -> None:
        """Nothing is stepped any more."""
        self._at_work = None
        if self._past is not None and self._past.links:
            self._tell()

    def _tell(self) -> None:
        self.standing = self._found_standing()
        if self.standing is not None and not self._thread.stopping:
            self._stood(self.standing)

    def _found_standing(self) -> Standing | None:
        past = self._past
        if past is None:
            return None
        places = past.standing()
        stale = self._stale_from(past, places)
        return Standing(past.project, places, self._at_work, stale, self._stopped, self.keep.trouble)

    def _stale_from(self, past: Past, places: dict[Place, PlaceStanding]) -> int | None:
        """The first frame that an edit made another one and whose states are not there yet."""
        first = past.first_difference(self._before) if self._before is not None else None
        if first is None:
            return None
        done = set.intersection(*(place.frames for place in places.values())) if places else set()
        while first in done:
            first += 1
        return first if first <= past.project.scene.last else None

    def _pause_between_steps(self) -> None:
        """Steps are kept, so giving way between them loses nothing; while dragging a picture must still come now and then."""
        now = time.monotonic()
        if self._thread.stopping or self._stopped:
            raise CancelledError
        if self._thread.overtaken and (
            now - self._last_answer < _LONGEST_SILENCE or now - self._begun > _LONGEST_SILENCE
        ):
            raise CancelledError

    def _pause(self) -> None:
        if self._thread.overtaken and time.monotonic() - self._last_answer < _LONGEST_SILENCE:
            raise CancelledError
        if self._thread.stopping or self._stopped:
            raise CancelledError

    def _stop_if_wanted(self) -> None:
        if self._thread.overtaken or self._thread.stopping or self._stopped:
            raise CancelledError


def _ahead(request: Request) -> Iterator[int]:
    """The frames of the shot in the order playing would come to them."""
    scene = request.project.scene
    count = scene.last - scene.first + 1
    for step in range(1, count):
        yield scene.first + (request.frame - scene.first + step) % count
