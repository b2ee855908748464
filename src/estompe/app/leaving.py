"""Ending the window when the system asks for it: by a signal, or as the session ends.

The scene is kept for recovery and the process is gone within two seconds, whatever the interface thread is busy with.
"""

import os
import signal
import socket
import threading
from types import FrameType

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication

from estompe.app.window import Window

_ENDING = (signal.SIGTERM, signal.SIGHUP)
_PATIENCE = 1.7


class Leaving(QObject):
    """Closes the window on Ctrl+C as a person would, and leaves at once on SIGTERM, SIGHUP and at the session's end."""

    _woken = pyqtSignal()

    def __init__(self, app: QApplication, window: Window) -> None:
        super().__init__(window)
        self._window = window
        # The interface sleeps in Qt, where Python sees no signals: a thread reads the byte that each of them writes.
        self._here, self._there = socket.socketpair()
        self._there.setblocking(False)
        signal.set_wakeup_fd(self._there.fileno(), warn_on_full_buffer=False)
        self._woken.connect(lambda: None)  # back in Python, the handlers below are called
        signal.signal(signal.SIGINT, lambda *_: window.close())
        for number in _ENDING:
            signal.signal(number, self._leave)
        app.commitDataRequest.connect(lambda _manager: window.autosave.write())
        threading.Thread(target=self._watch, name="estompe-signals", daemon=True).start()

    def _watch(self) -> None:
        while number := self._here.recv(1):
            if number[0] in _ENDING:
                # Whatever the interface is busy with: the scene is kept from here, and the process goes in time.
                self._window.autosave.write()
                watch = threading.Timer(_PATIENCE, os._exit, (0,))
                watch.daemon = True
                watch.start()
            self._woken.emit()

    def _leave(self, _number: int, _frame: FrameType | None) -> None:
        self._window.leave()
        os._exit(0)
