"""Unexpected errors: each is written to a log file with its traceback, and told in one line."""

import contextlib
import platform
import sys
import threading
import time
import traceback
from pathlib import Path

import platformdirs

_LARGEST = 2 * 2**20
_WRITING = threading.Lock()


def log_file() -> Path:
    """Where the log is."""
    return platformdirs.user_state_path("estompe") / "log.txt"


def record(error: BaseException, where: str) -> str:
    """Write an error with its traceback to the log, and give the line that a person is told.

    A folder that cannot be written is no reason to fail: the line is given all the same.
    """
    name = type(error).__name__
    text = "".join(traceback.format_exception(error))
    stamp = time.strftime("%Y-%m-%d %H:%M:%S")
    entry = f"--- {stamp}  {where}  (Python {platform.python_version()}, {sys.platform})\n{text}\n"
    with _WRITING, contextlib.suppress(OSError):
        file = log_file()
        file.parent.mkdir(parents=True, exist_ok=True)
        if file.exists() and file.stat().st_size > _LARGEST:
            file.replace(file.with_suffix(".old.txt"))
        with file.open("a", encoding="utf-8", errors="replace") as stream:
            stream.write(entry)
    if isinstance(error, MemoryError):
        return f"{where}: there is not enough memory for it; make it smaller or close other programs"
    about = str(error).split("\n")[0][:200]
    return f"{where} failed ({name}{f': {about}' if about else ''}); save your work, the log has the details"
