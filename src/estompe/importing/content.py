"""What stands for the content of files: on this machine by when they were written, on any by what is in them."""

import contextlib
import hashlib
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

Stamps = tuple[tuple[int, int] | None, ...]
_WHOLE, _SAMPLES, _SAMPLE = 64 * 2**20, 256, 2**16


def stamps_of(files: Sequence[str]) -> Stamps:
    """What tells one state of files from another, without opening them; None where one is not there."""
    found: list[tuple[int, int] | None] = []
    for name in files:
        try:
            about = os.stat(name)
            found.append((about.st_mtime_ns, about.st_size))
        except (OSError, ValueError):
            found.append(None)
    return tuple(found)


def fingerprint_of(files: Sequence[str]) -> str:
    """What stands for the content of files, wherever they lie."""
    whole = hashlib.blake2b(digest_size=16)
    for name in files:
        whole.update(_content(Path(name)))
    return whole.hexdigest()


def _content(path: Path) -> bytes:
    """What stands for a file's content: all of it, or evenly spread samples of a large one."""
    digest = hashlib.blake2b(digest_size=16)
    with contextlib.suppress(OSError):
        size = path.stat().st_size
        digest.update(str(size).encode())
        with path.open("rb") as stream:
            if size <= _WHOLE:
                for part in iter(lambda: stream.read(2**20), b""):
                    digest.update(part)
            else:
                for place in np.linspace(0, size - _SAMPLE, _SAMPLES).astype(np.int64):
                    stream.seek(int(place))
                    digest.update(stream.read(_SAMPLE))
    return digest.digest()
