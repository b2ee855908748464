"""A USD file while it is written: samples go to the disk now and then, and what goes wrong is told in words."""

import os
import shutil
from pathlib import Path
from typing import Any

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
