"""One thread that works on the newest thing it is given, for everything that must not be done on the interface thread."""

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from estompe import faults
from estompe.evaluation.running.memo import CancelledError

Item = TypeVar("Item")


class NewestThread(Generic[Item]):
    """Works on one item at a time; an item that still waits when a newer one comes is forgotten.

    Parameters
    ----------
    name
        What it works on, for the log and for lists of threads.
    work
        Called on the thread with each item. It may call `give_way` now and then, which ends it for a newer item.
    failed
        Called on the thread with a line for a person, after an error that nobody foresaw; the thread goes on.
    words
        What is done with an item, for that line; its name, where this is left out.
    """

    def __init__(
        self,
        name: str,
        work: Callable[[Item], None],
        failed: Callable[[str], None],
        words: Callable[[Item], str] | None = None,
    ) -> None:
        self._name, self._work, self._failed = name, work, failed
        self._words = words or (lambda _item: name.capitalize())
        self._wake = threading.Condition()
        self._items: list[Item] = []
        self._busy = False
        self._thread: threading.Thread | None = None
        self.stopping = False
        """Whether the thread has been told to end."""

    def give(self, item: Item) -> None:
        """Work on an item next; the thread starts with the first one."""
        with self._wake:
            self._items = [item]
            if self._thread is None and not self.stopping:
                self._thread = threading.Thread(target=self._run, name=f"estompe-{self._name}", daemon=True)
                self._thread.start()
            self._wake.notify_all()

    @property
    def overtaken(self) -> bool:
        """Whether a newer item waits."""
        return bool(self._items)

    def give_way(self) -> None:
        """End the work at hand where a newer item waits or the thread ends. Raises CancelledError."""
        if self._items or self.stopping:
            raise CancelledError

    def wait(self, patience: float | None = None) -> bool:
        """Until nothing is at hand any more, for so many seconds at most. Returns whether that is so."""
        with self._wake:
            return self._wake.wait_for(lambda: not (self._items or self._busy), patience)

    def stop(self, patience: float) -> None:
        """End the thread, and wait for it for so many seconds at most; an item that still waits is forgotten."""
        with self._wake:
            self.stopping = True
            self._items = []
            self._wake.notify_all()
        if self._thread is not None:
            self._thread.join(patience)

    def _run(self) -> None:
        while items := self._take():
            try:
                self._work(items[0])
            except CancelledError:
                continue
            except Exception as error:  # whatever it is, the next item must find the thread alive
                text = faults.record(error, self._words(items[0]))
                if not self.stopping:
                    self._failed(text)

    def _take(self) -> list[Item]:
        """Wait for the next item; none at the end."""
        with self._wake:
            self._busy = False
            self._wake.notify_all()
            self._wake.wait_for(lambda: self._items or self.stopping)
            items, self._items = self._items, []
            self._busy = bool(items)
            return items
