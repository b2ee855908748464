"""A plane through the volume of the current shape, with lines of equal distance: off, or on and kept current."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.analysis.slices import Slice, slice_of, solid_in, straight
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.looking import Looking
from estompe.app.model.messages import Messages
from estompe.evaluation.background.answers import Answer
from estompe.geometry.volumes.solid import Solid

_AXES = (2, 0, 1)
"""In the order they are gone through: seen from the front first."""


class Slices(QObject):
    """changed() when there is another slice. axis: None while it is off; share: where along the axis, 0 to 1."""

    changed = pyqtSignal()

    def __init__(
        self, document: DocumentModel, evaluator: Evaluator, messages: Messages, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._evaluator, self._messages = document, evaluator, messages
        self.axis: int | None = None
        self.share = 0.5
        self.found: Slice | None = None
        self._distances: tuple[Solid, Solid] | None = None
        self._looking = Looking("slice", self._look, messages, self)
        self._looking.found.connect(self._take)
        evaluator.answered.connect(lambda _answer: self._ask())

    @property
    def on(self) -> bool:
        """Whether a slice is shown."""
        return self.axis is not None

    def turn(self) -> None:
        """Show it across Z, then X, then Y, then no more."""
        order = (*_AXES, None)
        self.axis = order[(order.index(self.axis) + 1) % len(order)]
        self.share, self.found = 0.5, None
        self.changed.emit()
        answer = self._evaluator.answer
        if self.on and answer is not None and self._solid(answer) is None:
            self._messages.say(
                "the current shape has no volume: add Merge, Grow or another effect on volumes", "warning"
            )
        self._ask()

    def move(self, share: float) -> None:
        """Put the plane elsewhere."""
        self.share = min(max(share, 0.0), 1.0)
        self._ask()

    def close(self) -> None:
        """End the thread."""
        self._looking.close()

    def _ask(self) -> None:
        if self.on and self._evaluator.answer is not None:
            self._looking.ask(self._evaluator.answer)

    @staticmethod
    def _solid(answer: Answer) -> Solid | None:
        shape = answer.request.shape
        return solid_in(answer.frame, shape) if shape is not None and answer.frame.has(shape) else None

    def _look(self, answer: Answer, pause: Callable[[], None]) -> Slice | None:
        pause()
        solid, axis = self._solid(answer), self.axis
        if solid is None or axis is None:
            return None
        if self._distances is None or self._distances[0] is not solid:
            self._distances = solid, straight(solid, pause)
        return slice_of(self._distances[1], axis, self.share)

    def _take(self, answer: Answer, found: Slice | None) -> None:
        if self.on and answer.request.project.scene is self._document.scene:
            self.found = found
            self.changed.emit()
