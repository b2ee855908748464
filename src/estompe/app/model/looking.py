"""Looking at answers on a thread of its own: the newest one wins, and what nobody foresaw does not end the thread."""

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from estompe import faults
from estompe.app.model.messages import Messages
from estompe.evaluation import CancelledError
from estompe.evaluation.answers import Answer

_PATIENCE = 2.0


class Looking(QObject):
    """found(answer, result), on the interface thread. title: what is being looked for, for the log."""

    found = pyqtSignal(object, object)

    def __init__(
        self, title: str, look: Callable[[Answer, Callable[[], None]], Any], messages: Messages, parent: QObject
    ) -> None:
        super().__init__(parent)
        self._title, self._look, self._messages = title, look, messages
        self._wake = threading.Condition()
        self._waiting: Answer | None = None
        self._stopping = False
        self._thread: threading.Thread | None = None

    def ask(self, answer: Answer) -> None:
        """Look at an answer; one that still waits is forgotten."""
        with self._wake:
            self._waiting = answer
            self._wake.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name=f"estompe-{self._title}", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """End the thread."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        if self._thread is not None:
            self._thread.join(_PATIENCE)

    def _run(self) -> None:
        while True:
            with self._wake:
                while self._waiting is None and not self._stopping:
                    self._wake.wait()
                answer, self._waiting = self._waiting, None
            if self._stopping or answer is None:
                return
            try:
                self.found.emit(answer, self._look(answer, self._pause))
            except CancelledError:
                continue
            except Exception as error:  # the next answer must find the thread alive
                self._messages.say(faults.record(error, self._title.capitalize()), "error")

    def _pause(self) -> None:
        """Newer answers go first."""
        if self._waiting is not None or self._stopping:
            raise CancelledError
