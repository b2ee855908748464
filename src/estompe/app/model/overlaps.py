"""The check for overlaps: off, or on and computed for every answer on a thread of its own."""

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.analysis.overlaps import Overlap, open_shapes, overlaps
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.looking import Looking
from estompe.app.model.messages import Messages
from estompe.evaluation.background.answers import Answer


class Overlaps(QObject):
    """changed() when something else was found.

    found: on the shown frame, the deepest first; by_frame: the largest depth on each frame that was looked at, 0 for none.
    """

    changed = pyqtSignal()

    def __init__(
        self, document: DocumentModel, evaluator: Evaluator, messages: Messages, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._evaluator, self._messages = document, evaluator, messages
        self.on = False
        self.found: list[Overlap] = []
        self.by_frame: dict[int, float] = {}
        self._looking = Looking("overlaps", lambda answer, pause: overlaps(answer.frame, pause), messages, self)
        self._looking.found.connect(self._take)
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
        self._looking.close()

    def _forget(self) -> None:
        self.found, self.by_frame = [], {}
        self.changed.emit()

    def _ask(self) -> None:
        if self.on and self._evaluator.answer is not None:
            self._looking.ask(self._evaluator.answer)

    def _take(self, answer: Answer, found: list[Overlap]) -> None:
        if not self.on or answer.request.project.scene is not self._document.scene:
            return
        self.by_frame[answer.request.frame] = found[0].deepest if found else 0.0
        if answer is self._evaluator.answer:
            self.found = found
        self.changed.emit()
