"""What a run into a place has finished: so that the same command goes on where it stopped, and no two runs write at once."""

import hashlib
import importlib.metadata
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import msgspec

from estompe.document.file import VERSION
from estompe.document.project import Project
from estompe.files.atomic import written_whole
from estompe.files.locks import FileLock, TakenError
from estompe.files.progress import ExchangeError
from estompe.importing.reads import stamps_read
from estompe.kinds.registry import encode_kind


class Manifest(msgspec.Struct):
    """job: stands for the scene and the settings; finished: frames that are done."""

    job: str
    finished: list[float] = []


def job_of(project: Project, settings: object) -> str:
    """What stands for a run: the scene, all the files it reads with what those refer to, the settings, the program's version."""
    scene = msgspec.json.encode(project.scene, enc_hook=encode_kind)
    whole = hashlib.blake2b(scene, digest_size=16)
    whole.update(repr((importlib.metadata.version("estompe"), VERSION, settings)).encode())
    whole.update(repr(stamps_read(project)).encode())
    return whole.hexdigest()


class Progressing:
    """The manifest of a run, written after each frame. went_on: whether an earlier run of the same job was found."""

    def __init__(self, path: Path, job: str) -> None:
        self._path = path
        before = _read(path)
        self.went_on = before is not None and before.job == job
        self._manifest = before if before is not None and self.went_on else Manifest(job)
        self._finished = set(self._manifest.finished)

    def is_finished(self, frame: float) -> bool:
        """Whether an earlier run of the same job finished a frame."""
        return frame in self._finished

    def finish(self, frame: float) -> None:
        """Take down that a frame is done."""
        self.take_in(frame)
        self.write()

    def take_in(self, frame: float) -> None:
        """Count a frame as done, to be taken down with the next `write`."""
        self._finished.add(frame)

    def write(self) -> None:
        """Write the manifest."""
        self._manifest.finished = sorted(self._finished)
        with written_whole(self._path) as part:
            part.write_bytes(msgspec.json.encode(self._manifest))

    def done(self) -> None:
        """Everything is there: the manifest is not needed any more."""
        self._path.unlink(missing_ok=True)


def _read(path: Path) -> Manifest | None:
    try:
        return msgspec.json.decode(path.read_bytes(), type=Manifest)
    except (OSError, msgspec.MsgspecError):
        return None


@contextmanager
def only_run(place: Path) -> Iterator[None]:
    """Hold a place for this run. Raises ExchangeError where another one writes there."""
    try:
        lock = FileLock(place.with_name(f".{place.name}.running"))
    except TakenError:
        raise ExchangeError(f"{place}: another run is writing there: wait for it, or choose another place") from None
    except OSError as error:
        raise ExchangeError(f"{place}: the folder cannot be written ({error.strerror or error})") from None
    with lock:
        yield
