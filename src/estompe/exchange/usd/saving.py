"""A USD file while it is written: samples go to the disk now and then, and what goes wrong is told in words."""

import os
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Protocol

from estompe.baking.frames import check_folder, check_frames
from estompe.document.project import Project
from estompe.evaluation import Frame
from estompe.files.atomic import written_whole
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.reads import check_not_read
from estompe.kinds.context import CannotEvaluateError

ENDINGS = (".usdc", ".usda", ".usd")
# Bytes of samples after which they are written to the disk, and what counts as a full one.
_MOST_PENDING, _LITTLE = 512 * 2**20, 2**20


class Saving:
    """A stage in a file that is not there yet."""

    def __init__(self, part: Path) -> None:
        from pxr import Usd

        part.unlink()  # the library makes the file itself, and will not take over one that stands there
        self.stage: Any = Usd.Stage.CreateNew(str(part))
        self._text, self._pending = part.suffix == ".usda", 0

    def grew(self, size: int) -> None:
        """So many bytes of samples were added."""
        self._pending += size
        if self._pending > _MOST_PENDING and not self._text:
            # What is saved need not be held; text would be written again from the start each time.
            self.stage.Save()
            self._pending = 0

    def finish(self) -> None:
        """Write the rest, and let go of the file."""
        self.stage.Save()
        self.stage = None


def reason(error: Exception, path: Path) -> str:
    """Why a file could not be written."""
    if isinstance(error, OSError) and error.errno:
        return os.strerror(error.errno)
    return "the disk is full" if shutil.disk_usage(path.parent).free < _LITTLE else "the folder cannot be written"


class FrameWriters(Protocol):
    """What writes frames into a stage."""

    def add(self, frame: Frame) -> int:
        """Write a frame; returns about how many bytes that were."""

    def finish(self) -> None:
        """Write what waited for the frame after it."""


def check_target(project: Project, path: Path, first: int, last: int) -> None:
    """Raise ExchangeError for a file that cannot be written as USD, or that the project reads, or a range that is none."""
    if path.suffix.lower() not in ENDINGS:
        raise ExchangeError(f"{path}: a USD scene ends in {' or '.join(ENDINGS)}")
    check_frames(first, last)
    check_folder(path)
    check_not_read(project, [path])


def write_frames(path: Path, begin: Callable[[Any], FrameWriters], frames: Iterable[Frame], progress: Progress) -> None:
    """Write frames into a USD file, whole or not at all. begin: describes a new stage, and gives what writes into it.

    Raises ExchangeError.
    """
    from pxr import Tf

    try:
        with written_whole(path) as part:
            saving = Saving(part)
            writers = begin(saving.stage)
            for frame in frames:
                saving.grew(writers.add(frame))
            writers.finish()
            progress(1.0, "saving")
            saving.finish()
    except CannotEvaluateError as error:
        raise ExchangeError(f"{path}: {error}") from None
    except (OSError, Tf.ErrorException) as error:
        raise ExchangeError(f"{path}: cannot be written ({reason(error, path)})") from None
    except MemoryError:
        raise ExchangeError(f"{path}: a frame does not fit in memory") from None
