"""States in files: one each, written whole, refused when damaged, the least recently used removed past a bound."""

import contextlib
import os
import tempfile
import time
from hashlib import blake2b
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import platformdirs

from estompe.evaluation.planning.others import Kept
from estompe.kinds.remembering import Remembered

DEFAULT_BOUND = 10 << 30
_MAGIC = b"estompe state 2\n"
_SUFFIX, _PART = ".state", ".part"
_MOST_HEADER = 1 << 16
_CHECK = 16
_FORMS = ("<f4", "<f8", "<i4", "<i8", "|u1", "|b1", "|i1", "<u4", "<u8")
# A part this old belongs to a process that was killed.
_ABANDONED = 3600.0
# Past the bound so much is removed at once, as a part of it.
_ROOM = 8


def default_folder() -> Path:
    """Where states of all scenes go on this machine: the person's cache."""
    return platformdirs.user_cache_path("estompe") / "states"


class _Head(msgspec.Struct, array_like=True):
    """digest: what the state is kept under; kind: its type; count, identity: as `Kept` has them.

    fields: by name the form and sizes of an array, or a plain number.
    """

    kind: str
    count: int
    fields: dict[str, tuple[str, tuple[int, ...]] | float | int]
    digest: bytes = b""
    identity: bytes = b""


class StateFileError(ValueError):
    """A file that is no state, or a damaged one; the text says what is wrong."""


def packed(kept: Kept, digest: bytes = b"") -> bytes:
    """A state as bytes. digest: what it is kept under."""
    fields: dict[str, Any] = {}
    arrays = []
    for name in kept.state.__struct_fields__:
        value = getattr(kept.state, name)
        if isinstance(value, np.ndarray):
            fields[name] = value.dtype.str, value.shape
            arrays.append(np.ascontiguousarray(value))
        else:
            fields[name] = value
    head = msgspec.msgpack.encode(_Head(type(kept.state).__name__, kept.count, fields, digest, kept.identity))
    body = b"".join([_MAGIC, len(head).to_bytes(4, "little"), head, *(array.tobytes() for array in arrays)])
    return body + blake2b(body, digest_size=_CHECK).digest()


def unpacked(data: bytes, kind: type[Remembered], digest: bytes = b"") -> Kept:
    """A state from its bytes.

    Parameters
    ----------
    data : bytes
        What `packed` gave.
    kind : type
        The type the state must have.
    digest : bytes
        What it must be kept under: a file that was renamed holds another state.

    Returns
    -------
    Kept
        The state, its arrays read-only.

    Raises
    ------
    StateFileError
        For anything else.
    """
    start = len(_MAGIC) + 4
    if len(data) < start + _CHECK or not data.startswith(_MAGIC):
        raise StateFileError("it is no state")
    if blake2b(memoryview(data)[:-_CHECK], digest_size=_CHECK).digest() != data[-_CHECK:]:
        raise StateFileError("it is damaged or cut short")
    size = int.from_bytes(data[len(_MAGIC) : start], "little")
    if size > _MOST_HEADER:
        raise StateFileError("its header is too long")
    try:
        head = msgspec.msgpack.decode(data[start : start + size], type=_Head)
    except msgspec.MsgspecError as error:
        raise StateFileError(f"its header cannot be read ({error})") from None
    if head.kind != kind.__name__ or set(head.fields) != set(kind.__struct_fields__):
        raise StateFileError(f"it is of another kind ({head.kind})")
    if head.digest != digest:
        raise StateFileError("it is another state than its name says")
    state = kind(**_fields(data, start + size, head))
    if not state.fits(head.count):
        raise StateFileError("its arrays do not fit each other")
    return Kept(state, head.count, head.identity)


def _fields(data: bytes, at: int, head: _Head) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in head.fields.items():
        if not isinstance(value, tuple):
            found[name] = value
            continue
        form, shape = value
        if form not in _FORMS or any(size < 0 for size in shape):
            raise StateFileError(f"its array “{name}” has a form that is not known")
        count = int(np.prod(shape, dtype=object)) if shape else 1
        size = count * np.dtype(form).itemsize
        if at + size > len(data) - _CHECK:
            raise StateFileError(f"its array “{name}” is cut short")
        found[name] = np.frombuffer(data, form, count, at).reshape(shape)
        at += size
    if at != len(data) - _CHECK:
        raise StateFileError("it is longer than its arrays")
    return found


class StateFolder:
    """A folder of states. What cannot be read is passed over; what cannot be written is said in `trouble`, and no more tried.

    bound: bytes, past which the least recently used are removed.
    """

    def __init__(self, path: Path, bound: int = DEFAULT_BOUND) -> None:
        self.path, self.bound = path, bound
        self.trouble = ""
        self.damaged = 0
        self._used: int | None = None
        # The names of the files, listed once: whether a state is there is asked for every frame.
        self._there: set[str] | None = None

    def file(self, digest: bytes) -> Path:
        """Where a state is."""
        return self.path / f"{digest.hex()}{_SUFFIX}"

    def has(self, digest: bytes) -> bool:
        """Whether there is a file for a state, as far as this process knows."""
        return self.file(digest).name in self._names()

    def _names(self) -> set[str]:
        if self._there is None:
            self._there = {file.name for _, _, file in self._files()}
        return self._there

    def read(self, digest: bytes, kind: type[Remembered]) -> Kept | None:
        """A state, or None where there is none that can be used; damaged files are counted and removed."""
        file = self.file(digest)
        if file.name not in self._names():
            return None
        try:
            kept = unpacked(file.read_bytes(), kind, digest)
        except OSError:
            self._names().discard(file.name)
            return None
        except StateFileError:
            self.damaged += 1
            self._names().discard(file.name)
            with contextlib.suppress(OSError):
                file.unlink()
            return None
        with contextlib.suppress(OSError):
            os.utime(file)  # used last
        return kept

    def write(self, digest: bytes, kept: Kept) -> None:
        """Write a state, whole or not at all. Its checksum tells a file that a power cut left half on the disk."""
        if self.trouble or self.has(digest):
            return
        data = packed(kept, digest)
        part = None
        try:
            self.path.mkdir(parents=True, exist_ok=True)
            handle, part = tempfile.mkstemp(prefix=".", suffix=_PART, dir=self.path)
            with os.fdopen(handle, "wb") as stream:
                stream.write(data)
            os.replace(part, self.file(digest))
            self._names().add(self.file(digest).name)
        except OSError as error:
            self.trouble = f"what is worked out cannot be kept in {self.path} ({error.strerror or error})"
            if part is not None:
                Path(part).unlink(missing_ok=True)
            return
        self._count(len(data))

    def _count(self, more: int) -> None:
        if self._used is None:
            self._sweep()
            self._used = sum(size for _, size, _ in self._files())
        else:
            self._used += more
        if self._used > self.bound:
            self._make_room()

    def _files(self) -> list[tuple[float, int, Path]]:
        """When each was last used, its size, and where it is."""
        found = []
        with contextlib.suppress(OSError):
            for file in self.path.glob(f"*{_SUFFIX}"):
                with contextlib.suppress(OSError):
                    about = file.stat()
                    found.append((about.st_mtime, about.st_size, file))
        return found

    def _make_room(self) -> None:
        files = sorted(self._files())
        used = sum(size for _, size, _ in files)
        for _, size, file in files[:-1]:
            if used <= self.bound - self.bound // _ROOM:
                break
            with contextlib.suppress(OSError):
                file.unlink()
                used -= size
                self._names().discard(file.name)
        self._used = used

    def _sweep(self) -> None:
        """Remove what killed processes left behind."""
        now = time.time()
        with contextlib.suppress(OSError):
            for part in self.path.glob(f".*{_PART}"):
                with contextlib.suppress(OSError):
                    if now - part.stat().st_mtime > _ABANDONED:
                        part.unlink()
