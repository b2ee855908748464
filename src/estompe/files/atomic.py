"""Files appear whole or not at all."""

import contextlib
import os
import shutil
import stat
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_PART = ".estompe-part"
# A part this old belongs to a process that was killed.
_ABANDONED = 24 * 3600.0


def _read_umask() -> int:
    """What new files do not allow, without changing it for a moment: other threads may be making files."""
    with contextlib.suppress(OSError, ValueError, StopIteration):
        status = Path("/proc/self/status").read_text()
        return int(next(line for line in status.splitlines() if line.startswith("Umask:")).split()[1], 8)
    current = os.umask(0o077)
    os.umask(current)
    return current


_UMASK = _read_umask()


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """A temporary file beside the target, moved over it when the block ends well and removed otherwise.

    A symbolic link stays one: what it points to is replaced. Mode and owner of a file that is replaced are kept.

    Raises
    ------
    OSError
        Where the folder cannot be written, or the file is read-only.
    """
    target = Path(os.path.realpath(path))
    before = _standing(target)
    _sweep(target.parent)
    handle, name = tempfile.mkstemp(prefix=f".{target.stem[:40]}-", suffix=_PART + target.suffix, dir=target.parent)
    os.close(handle)
    part = Path(name)
    try:
        yield part
        _take_over(part, before)
        with part.open("rb") as stream:
            os.fsync(stream.fileno())
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)


@contextmanager
def folder_whole(path: Path) -> Iterator[Path]:
    """A temporary folder beside the target, renamed to it when the block ends well and removed otherwise.

    Raises
    ------
    OSError
        Where it cannot be written, or the target is there and not empty.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    part = Path(tempfile.mkdtemp(prefix=f".{path.name[:40]}-", suffix=_PART, dir=path.parent))
    try:
        yield part
        part.chmod(0o777 & ~_UMASK)
        part.replace(path)
    finally:
        shutil.rmtree(part, ignore_errors=True)


def _standing(target: Path) -> os.stat_result | None:
    """The state of the target. Raises PermissionError for a file that cannot be written."""
    try:
        found = target.stat()
    except FileNotFoundError:
        return None
    if stat.S_ISREG(found.st_mode) and not found.st_mode & 0o222:
        raise PermissionError(13, "the file is read-only", str(target))
    return found


def _take_over(part: Path, before: os.stat_result | None) -> None:
    if before is None:
        part.chmod(0o666 & ~_UMASK)
        return
    with contextlib.suppress(OSError):  # only root may give files away
        os.chown(part, before.st_uid, before.st_gid)
    part.chmod(stat.S_IMODE(before.st_mode))


def _sweep(folder: Path) -> None:
    """Remove what killed processes left behind."""
    now = time.time()
    with contextlib.suppress(OSError):
        for part in folder.glob(f".*{_PART}*"):
            with contextlib.suppress(OSError):
                if now - part.stat().st_mtime > _ABANDONED:
                    part.unlink()
