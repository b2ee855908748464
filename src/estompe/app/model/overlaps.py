"""The check for overlaps: off, or on and computed for every answer on a thread of its own."""

import threading

from PyQt6.QtCore import QObject, pyqtSignal

from estompe import faults
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.messages import Messages
from estompe.evaluate import CancelledError
from estompe.evaluate.answers import Answer
from estompe.evaluate.overlap import Overlap, open_shapes, overlaps

_PATIENCE = 2.0


class Overlaps(QObject):
    """changed() when something else was found.

    found: on the shown frame, the deepest first; by_frame: the largest depth on each frame that was looked at, 0 for none.
    """

    changed = pyqtSignal()
    _computed = pyqtSignal(object, object)

    def __init__(
        self, document: DocumentModel, evaluator: Evaluator, messages: Messages, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._evaluator, self._messages = document, evaluator, messages
        self.on = False
        self.found: list[Overlap] = []
        self.by_frame: dict[int, float] = {}
        self._wake = threading.Condition()
        self._waiting: Answer | None = None
        self._stopping = False
        self._thread: threading.Thread | None = None
        self._computed.connect(self._take)
        evaluator.answered.connect(lambda _answer: self._ask())
        document.scene_changed.connect(lambda *_: self._forget())

    def toggle(self) -> None:
        """Look for overlaps from now on, or no more."""
        self.on = not self.on
        self._forget()
        if self.on:
            answer = self._evaluator.answer
            opened = open_shapes(answer.frame) if answer is not None else []
            if opened:
                names = ", ".join(f"“{name}”" for name in opened)
                self._messages.say(f"nothing can lie inside {names}: open edges", "warning")
            self._ask()

    def put_all(self, deepest: dict[int, float]) -> None:
        """Take note of the largest depth on each of some frames."""
        self.by_frame.update(deepest)
        self.changed.emit()

    def words(self, item: Overlap) -> tuple[str, str]:
        """What overlaps what, and how many points, for the view."""
        names = [self._document.name_of(("shapes", shape)) for shape in (item.inside, item.other)]
        return f"{names[0]} in {names[1]}", f"{len(item.points)}"

    def close(self) -> None:
        """End the thread."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        if self._thread is not None:
            self._thread.join(_PATIENCE)

    def _forget(self) -> None:
        self.found, self.by_frame = [], {}
        self.changed.emit()

    def _ask(self) -> None:
        if not self.on or self._evaluator.answer is None:
            return
        with self._wake:
            self._waiting = self._evaluator.answer
            self._wake.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="estompe-overlaps", daemon=True)
            self._thread.start()

    def _run(self) -> None:
        while True:
            with self._wake:
                while self._waiting is None and not self._stopping:
                    self._wake.wait()
                answer, self._waiting = self._waiting, None
            if self._stopping or answer is None:
                return
            try:
                self._computed.emit(answer, overlaps(answer.frame, self._pause))
            except CancelledError:
                continue
            except Exception as error:  # the next answer must find the thread alive
                self._messages.say(faults.record(error, "Looking for overlaps"), "error")

    def _pause(self) -> None:
        """Newer answers go first."""
        if self._waiting is not None or self._stopping:
            raise CancelledError

    def _take(self, answer: Answer, found: list[Overlap]) -> None:
        if not self.on or answer.request.project.scene is not self._document.scene:
            return
        self.by_frame[answer.request.frame] = found[0].deepest if found else 0.0
        if answer is self._evaluator.answer:
            self.found = found
        self.changed.emit()
