"""Files appear whole or not at all."""

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """A temporary file beside the target, moved over it when the block ends well and removed otherwise.

    Raises OSError where the folder cannot be written.
    """
    handle, name = tempfile.mkstemp(prefix=f".{path.stem}-", suffix=path.suffix, dir=path.parent)
    os.close(handle)
    part = Path(name)
    try:
        yield part
        part.chmod(0o666 & ~_umask())
        with part.open("rb") as stream:
            os.fsync(stream.fileno())
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current
