"""Long work on a thread of its own, with progress, and a way to cancel it."""

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from estompe import faults
from estompe.evaluation import CancelledError
from estompe.files.progress import Progress

_PATIENCE = 5.0


class Work(QObject):
    """One job at a time. All signals arrive on the interface thread.

    progressed(fraction, text); ended(); failed(text); cancelled(title).
    """

    progressed = pyqtSignal(float, str)
    ended = pyqtSignal()
    failed = pyqtSignal(str)
    cancelled = pyqtSignal(str)
    _finished = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.title = ""
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._finished.connect(self._finish)

    @property
    def running(self) -> bool:
        return self._thread is not None

    def start(
        self,
        title: str,
        job: Callable[[Progress], Any],
        then: Callable[[Any], None],
        applies: Callable[[], bool] = lambda: True,
    ) -> bool:
        """Run a job; `then` gets its result on the interface thread. False if another one is still running.

        applies: whether the result still belongs to what is open by then, such as `DocumentModel.still_open`; where it does not,
        nothing is changed and a person is told. Errors a person can act on (ValueError and OSError) are told as text; others go
        to the log too.
        """
        if self._thread is not None:
            self.failed.emit(f"wait until “{self.title}” is done, or cancel it")
            return False
        self.title = title
        self._stop.clear()
        self.progressed.emit(0.0, title)
        self._thread = threading.Thread(target=self._run, args=(job, then, applies), name="estompe-work", daemon=True)
        self._thread.start()
        return True

    def cancel(self) -> None:
        """Stop the job at its next step."""
        self._stop.set()

    def wait(self) -> None:
        """Cancel what runs and wait for its end when the window closes, but not for ever: files are whole or not there."""
        self.cancel()
        if self._thread is not None:
            self._thread.join(_PATIENCE)

    def _progress(self, fraction: float, text: str) -> None:
        if self._stop.is_set():
            raise CancelledError
        self.progressed.emit(fraction, text)

    def _run(self, job: Callable[[Progress], Any], then: Callable[[Any], None], applies: Callable[[], bool]) -> None:
        try:
            result = job(self._progress)
        except CancelledError:
            self._finished.emit(None, CancelledError())
        except (ValueError, OSError) as error:
            self._finished.emit(None, str(error))
        except Exception as error:  # the window must hear of it, whatever it is
            self._finished.emit(None, faults.record(error, self.title.capitalize()))
        else:
            self._finished.emit((then, applies), result)

    def _finish(self, use: tuple[Callable[[Any], None], Callable[[], bool]] | None, result: Any) -> None:
        self._thread = None
        self.ended.emit()
        if isinstance(result, CancelledError):
            self.cancelled.emit(self.title)
        elif use is None:
            self.failed.emit(str(result))
        elif not use[1]():
            self.failed.emit(
                f"{self.title}: done, but for another scene than the one that is open now; do it again here"
            )
        else:
            use[0](result)
