"""Checks that a file from somebody else is a regular file and answers, before it is opened.

Opening a pipe, a device or a file on a share that is gone would block the thread forever.
"""

import os
import queue
import stat
import threading
from pathlib import Path

PATIENCE = 5.0
"""Seconds in which a file must give its first byte."""


class UnreadableError(OSError):
    """A file that must not be waited for; the text says why, without the file's name."""


def check_answers(path: Path | str, patience: float = PATIENCE) -> None:
    """Open a file and read its first byte, on a thread of its own.

    Parameters
    ----------
    path : path
        The file. One that is not there is no error: the reader reports it.
    patience : float
        Seconds to wait.

    Raises
    ------
    UnreadableError
        For anything but a regular file, and for one that does not answer in time.
    """
    answers: queue.SimpleQueue[str] = queue.SimpleQueue()
    thread = threading.Thread(target=lambda: answers.put(_tried(path)), name="estompe-answers", daemon=True)
    thread.start()
    try:
        words = answers.get(timeout=patience)
    except queue.Empty:
        words = f"it does not answer within {patience:g} s"
    if words:
        raise UnreadableError(words)


def _tried(path: Path | str) -> str:
    """Why a file must not be opened in words, or nothing."""
    try:
        if not stat.S_ISREG(os.stat(path).st_mode):
            return "it is no regular file"
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError):
        return ""  # the reader reports it
    try:
        os.read(handle, 1)
    except OSError:
        return ""
    finally:
        os.close(handle)
    return ""
