"""Lines on the current shape along which the current falloff arrives on the same frame: off, or on and kept current."""

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.analysis.fronts import Line, front_lines, neat_frames, reached_frames
from estompe.analysis.landing import Aim, Landing
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.looking import Looking
from estompe.app.model.messages import Messages
from estompe.evaluation import Memo
from estompe.evaluation.background.answers import Answer
from estompe.evaluation.time.keep import Keep
from estompe.geometry import Domain
from estompe.kernels.types import Floats


class _Reached(NamedTuple):
    """When each point is reached, for one scene, shape and falloff."""

    asked: tuple[object, str | None, str | None]
    frames: Floats


class Fronts(QObject):
    """changed() when there are other lines. lines: on the shown frame."""

    changed = pyqtSignal()

    def __init__(
        self, document: DocumentModel, evaluator: Evaluator, messages: Messages, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._evaluator, self._messages = document, evaluator, messages
        self.on = False
        self.lines: list[Line] = []
        # Results of its own: those of the evaluating thread are for the frames that are shown.
        self._memo, self._keep = Memo(1 << 28), Keep(1 << 28)
        self._reached: _Reached | None = None
        self._looking = Looking("fronts", self._look, messages, self)
        self._looking.found.connect(self._take)
        evaluator.answered.connect(lambda _answer: self._ask())

    def toggle(self) -> None:
        """Show the lines from now on, or no more."""
        self.on = not self.on
        self.lines = []
        self.changed.emit()
        current = self._evaluator.answer.current if self._evaluator.answer is not None else None
        if self.on and current is not None and current.domain is not Domain.POINT:
            self._messages.say(
                f"lines are drawn where a falloff is measured on points, not on {current.word}s", "warning"
            )
        self._ask()

    def close(self) -> None:
        """End the thread."""
        self._looking.close()

    def _ask(self) -> None:
        if self.on and self._evaluator.answer is not None:
            self._looking.ask(self._evaluator.answer)

    def _look(self, answer: Answer, pause: Callable[[], None]) -> list[Line]:
        current, request = answer.current, answer.request
        if current is None or current.domain is not Domain.POINT or request.shape is None or request.falloff is None:
            return []
        asked = request.project.scene, request.shape, request.falloff
        if self._reached is None or self._reached.asked != asked:
            aim = Aim(request.shape, request.falloff)
            frames = reached_frames(Landing(request.project, aim, self._memo, self._keep, pause))
            self._reached = _Reached(asked, frames)
        frames, mesh = self._reached.frames, answer.frame[request.shape]
        if len(frames) != len(mesh.points):
            words = "effects after it change which points there are"
            self._messages.say(f"lines cannot be drawn for this falloff: {words}", "warning")
            return []
        return front_lines(mesh.points, mesh.topology.triangles, frames, neat_frames(frames))

    def _take(self, answer: Answer, lines: list[Line]) -> None:
        if self.on and answer.request.project.scene is self._document.scene:
            self.lines = lines
            self.changed.emit()
