"""Looking at answers on a thread of its own: the newest one wins."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.messages import Messages
from estompe.evaluation.background.answers import Answer
from estompe.evaluation.background.newest import NewestThread

_PATIENCE = 2.0


class Looking(QObject):
    """found(answer, result), on the interface thread. title: what is being looked for, for the log."""

    found = pyqtSignal(object, object)

    def __init__(
        self, title: str, look: Callable[[Answer, Callable[[], None]], Any], messages: Messages, parent: QObject
    ) -> None:
        super().__init__(parent)
        self._look = look
        self._thread = NewestThread(title, self._look_at, lambda text: messages.say(text, "error"))

    def ask(self, answer: Answer) -> None:
        """Look at an answer; one that still waits is forgotten."""
        self._thread.give(answer)

    def close(self) -> None:
        """End the thread."""
        self._thread.stop(_PATIENCE)

    def _look_at(self, answer: Answer) -> None:
        self.found.emit(answer, self._look(answer, self._thread.give_way))
