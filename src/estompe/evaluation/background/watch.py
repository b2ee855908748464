"""Noticing that a file which an answer was read from has changed, on a thread of its own: a share can take long to ask."""

import threading
from collections.abc import Callable

from estompe import faults
from estompe.evaluation.background.answers import Answer

_EVERY = 1.0
"""Seconds between two looks."""
_PATIENCE = 0.5


class FileWatch:
    """Looks at the files of the newest answer again and again.

    Parameters
    ----------
    changed
        Called on the thread of the watch when one of them is not as it was read; once for each answer.
    """

    def __init__(self, changed: Callable[[], None]) -> None:
        self._changed = changed
        self._answer: Answer | None = None
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="estompe-watch", daemon=True)
        self._thread.start()

    def look_at(self, answer: Answer | None) -> None:
        """Watch the files of another answer, or none."""
        self._answer = answer

    def stop(self) -> None:
        """End the thread; a share that does not answer is not waited for long."""
        self._stopping.set()
        self._thread.join(_PATIENCE)

    def _run(self) -> None:
        while not self._stopping.wait(_EVERY):
            answer = self._answer
            try:
                if answer is not None and not answer.files_unchanged():
                    self._told(answer)
            except Exception as error:  # the next look must find the thread alive
                faults.record(error, "Looking at files")

    def _told(self, answer: Answer) -> None:
        if self._answer is answer and not self._stopping.is_set():
            self._answer = None
            self._changed()
