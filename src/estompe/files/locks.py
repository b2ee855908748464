"""Locks between processes: files that are held while something is written, on local disks and shared ones.

Only the process that holds a lock removes its file. A process that gets a lock checks that its file is still the one at the
path, so two processes never hold different files of one name.
"""

import contextlib
import fcntl
import os
from pathlib import Path


class TakenError(OSError):
    """Another process holds the lock."""


class FileLock:
    """A file that one process holds at a time.

    Parameters
    ----------
    path : Path
        The lock's file, which is made.

    Raises
    ------
    TakenError
        Where another process, or another part of this one, holds it.
    OSError
        Where the file cannot be made. Where the file system knows no locks, nothing is held and nothing raised.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._handle: int | None = self._taken()

    def _taken(self) -> int:
        while True:
            handle = os.open(self._path, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                os.close(handle)
                raise TakenError(11, "another process holds it", str(self._path)) from None
            except OSError:
                return handle  # some shared folders have no locks
            if _is_at(handle, self._path):
                return handle
            os.close(handle)

    def release(self) -> None:
        """Remove the file while it is held, and let go of it."""
        if self._handle is None:
            return
        with contextlib.suppress(OSError):
            if _is_at(self._handle, self._path):
                self._path.unlink()
        os.close(self._handle)
        self._handle = None

    def __enter__(self) -> "FileLock":
        return self

    def __exit__(self, *_error: object) -> None:
        self.release()


def is_held(path: Path) -> bool:
    """Return whether a process holds a lock."""
    try:
        handle = os.open(path, os.O_RDWR | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False


def _is_at(handle: int, path: Path) -> bool:
    """Whether an open file is the one at a path: another process may have removed it meanwhile."""
    try:
        there = os.stat(path)
    except FileNotFoundError:
        return False
    own = os.fstat(handle)
    return (own.st_dev, own.st_ino) == (there.st_dev, there.st_ino)
