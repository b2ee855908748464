"""Evaluating away from the interface thread: the newest request wins, and frames ahead are worked out meanwhile."""

import threading
import time
import traceback
from collections.abc import Callable, Hashable, Iterator
from dataclasses import dataclass

from estompe.document.kinds import MissingError
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluate.frame import Frame, Shown, evaluate
from estompe.evaluate.memo import CancelledError, Memo

FRAME_BUDGET = 2 << 30
# A running request gives way to a newer one, but a picture must come at least this often while dragging.
_LONGEST_SILENCE = 0.25


@dataclass(frozen=True, eq=False)
class Request:
    """A frame of a project, with the shape and falloff that are current (ids, or None)."""

    project: Project
    frame: int
    shape: str | None = None
    falloff: str | None = None


@dataclass(frozen=True, eq=False)
class Answer:
    """A frame that was worked out, with the current falloff on the shapes that show it, by shape id."""

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
        """The share of the current shape whose strength is over one half."""
        return None if self.current is None else self.current.past_half

    @property
    def nbytes(self) -> int:
        """Bytes the answer keeps alive."""
        meshes = sum(2 * self.frame[shape.id].points.nbytes for shape in self.frame.scene.shapes)
        return meshes + sum(3 * shown.strength.nbytes for shown in self.shown.values())


def relevant(scene: Scene) -> Hashable:
    """The parts of a scene that decide its meshes and strengths; names do not."""
    return (
        tuple((shape.id, shape.source, shape.placement, shape.effects, shape.color) for shape in scene.shapes),
        tuple((control.id, control.form, control.placement, control.points) for control in scene.controls),
        scene.camera,
        tuple((item.id, item.layers, item.range, item.ramp, item.signed) for item in scene.falloffs),
        scene.frames_per_second,
        scene.first,
    )


def work_out(request: Request, memo: Memo, pause: Callable[[], None] = lambda: None) -> Answer:
    """Answer a request here and now."""
    began = time.perf_counter()
    frame = evaluate(request.project, request.frame, memo, pause)
    shown = {}
    for shape in frame.scene.shapes:
        pause()
        frame[shape.id].normals  # noqa: B018 - worked out here, not on the thread that draws
        if request.falloff is not None and _shows(shape.id, request, frame):
            try:
                shown[shape.id] = frame.shown(shape.id, request.falloff)
                shown[shape.id].past_half  # noqa: B018
            except (KeyError, MissingError):
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
    routes = (route for effect in frame.shape(shape_id).effects for route in effect.routes)
    return any(route.falloff == request.falloff for route in routes)


class Worker:
    """A thread that answers requests. All callbacks come from that thread.

    answered: for each request that was not overtaken; readied: for each frame worked out ahead, with its share past half;
    failed: for a mistake of ours while working one out.
    """

    def __init__(
        self,
        answered: Callable[[Answer], None],
        readied: Callable[[Request, float | None], None],
        frame_budget: int = FRAME_BUDGET,
        failed: Callable[[Exception], None] = lambda _error: None,
    ) -> None:
        self.memo = Memo()
        self._answered, self._readied, self._failed = answered, readied, failed
        self._budget = frame_budget
        self._wake = threading.Condition()
        self._waiting: Request | None = None
        self._latest: Request | None = None
        self._stopping = False
        self._answers: dict[int, Answer] = {}
        self._answers_for: Hashable = None
        self._stored = 0
        self._last_answer = 0.0
        self._thread = threading.Thread(target=self._run, name="estompe-evaluate", daemon=True)
        self._thread.start()

    def ask(self, request: Request) -> None:
        """Ask for a frame; a request that is still waiting is forgotten."""
        with self._wake:
            self._waiting = self._latest = request
            self._wake.notify()

    def ready(self, request: Request) -> Answer | None:
        """The answer, if that frame has already been worked out for this scene, shape and falloff."""
        with self._wake:
            return self._answers.get(request.frame) if self._key(request) == self._answers_for else None

    def ready_frames(self) -> set[int]:
        """The frames that are ready."""
        with self._wake:
            return set(self._answers)

    def shares(self) -> dict[int, float]:
        """The share past half strength of each frame that is ready."""
        with self._wake:
            answers = list(self._answers.items())
        return {frame: answer.past_half for frame, answer in answers if answer.past_half is not None}

    def course(self, shape: str, point: int) -> dict[int, float]:
        """The strength of one point on each frame that is ready."""
        with self._wake:
            answers = list(self._answers.items())
        found = {}
        for frame, answer in answers:
            shown = answer.shown.get(shape)
            if shown is not None and point < len(shown.strength):
                found[frame] = float(shown.strength[point])
        return found

    def stop(self) -> None:
        """End the thread; unfinished work is dropped."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        self._thread.join()

    @staticmethod
    def _key(request: Request) -> Hashable:
        return relevant(request.project.scene), id(request.project.blobs), request.shape, request.falloff

    def _run(self) -> None:
        while True:
            request = self._next()
            if request is None:
                return
            self._prepare(request)
            try:
                self._answer(request)
                self._fill_ahead(request)
            except CancelledError:
                continue
            except Exception as error:  # whatever it is, the next request must find the thread alive
                traceback.print_exception(error)
                self._failed(error)

    def _next(self) -> Request | None:
        with self._wake:
            while self._waiting is None and not self._stopping:
                self._wake.wait()
            request, self._waiting = self._waiting, None
            return None if self._stopping else request

    def _prepare(self, request: Request) -> None:
        key = self._key(request)
        with self._wake:
            if key != self._answers_for:
                self._answers.clear()
                self._stored = 0
                self._answers_for = key

    def _answer(self, request: Request) -> None:
        answer = self.ready(request) or work_out(request, self.memo, self._pause)
        self._store(answer)
        self._last_answer = time.monotonic()
        self._answered(answer)

    def _fill_ahead(self, request: Request) -> None:
        for number in _ahead(request):
            if number in self._answers:
                continue
            if self._stored > self._budget:
                return
            self._stop_if_wanted()
            ahead = Request(request.project, number, request.shape, request.falloff)
            answer = work_out(ahead, self.memo, self._stop_if_wanted)
            self._store(answer)
            self._readied(ahead, answer.past_half)

    def _store(self, answer: Answer) -> None:
        with self._wake:
            if answer.request.frame not in self._answers:
                self._stored += answer.nbytes
            self._answers[answer.request.frame] = answer

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
