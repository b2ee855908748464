"""Autosave, and the offer to recover after a crash."""

import contextlib
import secrets
import time
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec
import platformdirs
from PyQt6.QtCore import QObject, QTimer

from estompe import faults
from estompe.app.model.document import DocumentModel
from estompe.app.model.messages import Messages
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.document.variants import Variant
from estompe.evaluation.background.newest import NewestThread
from estompe.files.atomic import written_whole
from estompe.files.locks import FileLock, is_held

EVERY = 20_000
"""Milliseconds between autosaves, unless the preferences say otherwise."""
_PATIENCE = 1.0
"""For how many seconds the thread is waited for once it has nothing left to write."""


class Lost(msgspec.Struct):
    """An autosaved scene whose window is gone."""

    title: str
    original: str
    when: float
    scene: str = ""
    stamp: tuple[int, int] | None = None
    """When the scene's own file was written and how large it was, as the window knew it."""

    @property
    def path(self) -> Path:
        return Path(self.scene)

    def words(self) -> str:
        """What a person is asked."""
        try:
            when = time.strftime("%d %b, %H:%M", time.localtime(self.when))
        except (OverflowError, ValueError, OSError):
            when = "at an unknown time"
        return f"“{self.title[:80]}” was not saved when Estompe last ended ({when})."


def folder() -> Path:
    """Where autosaves are kept."""
    return platformdirs.user_state_path("estompe") / "autosave"


class Autosave(QObject):
    """Writes the scene into a folder of ours, some seconds after it changed; removed once it is saved or given up.

    Each window has a name of its own, and a lock on a file of that name for as long as it lives. A process number would not
    do: it is used again, and on machines that share a home folder it names another process.
    """

    def __init__(self, document: DocumentModel, messages: Messages, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._messages = document, messages
        self._written: Scene | None = None
        self._written_variants: tuple[Variant, ...] = ()
        self._failed: Scene | None = None
        self._thread = NewestThread("autosave", self._keep, lambda text: messages.say(text, "error"))
        self._recovered: list[Path] = []
        self._scene = folder() / f"{secrets.token_hex(8)}{file.ENDING}"
        self._lock: FileLock | None = None
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self.write)
        self._timer.start()
        document.project_changed.connect(self._project_changed)

    def set_interval(self, seconds: int) -> None:
        """Autosave every so many seconds."""
        self._timer.setInterval(seconds * 1000)

    def follow(self, recovered: Path) -> None:
        """The scene came from this autosave, which is removed once the scene is safe again under another name."""
        self._recovered.append(recovered)

    def write(self) -> None:
        """Keep the scene, on a thread of its own, if it has unsaved changes that are not kept yet."""
        document = self._document
        written = document.scene is self._written and document.variants is self._written_variants
        if document.unsaved and not written:
            note = Lost(document.title, str(document.path or ""), time.time(), stamp=document.stamp)
            self._thread.give(_Snapshot(document.project, note, tuple(self._recovered)))

    def _keep(self, snapshot: "_Snapshot") -> None:
        project = snapshot.project
        try:
            self._take_lock()
            file.save(project, self._scene)
            with written_whole(self._scene.with_suffix(".json")) as part:
                part.write_bytes(msgspec.json.encode(snapshot.note))
            self._written, self._written_variants, self._failed = project.scene, project.variants, None
            self._discard(snapshot.recovered)
        except (OSError, file.FileError) as error:
            self._tell(project.scene, f"autosave failed: {error}")
        except Exception as error:  # here and not by the thread, since it is said once for a scene
            self._tell(project.scene, faults.record(error, "Autosave"))

    def _tell(self, scene: Scene, text: str) -> None:
        """Say what went wrong, once for a scene; it is tried again all the same."""
        if self._failed is not scene:
            self._failed = scene
            self._messages.say(text, "warning")

    def _take_lock(self) -> None:
        """Hold the lock of this window's name, from the first autosave until the window ends."""
        folder().mkdir(parents=True, exist_ok=True)
        if self._lock is None:
            self._lock = FileLock(self._scene.with_suffix(".lock"))

    def _project_changed(self) -> None:
        """Another project, or the same one now saved: what was kept of it is not needed once nothing is unsaved."""
        if not self._document.unsaved:
            self.wait()
            self._discard(self._recovered)
            _remove(self._scene)  # the lock stays: the next autosave of this window must not count as lost
            self._written = None

    def _discard(self, recovered: Sequence[Path]) -> None:
        for path in tuple(recovered):
            discard(path)
            if path in self._recovered:
                self._recovered.remove(path)

    def wait(self) -> None:
        """Until what is being written is there."""
        self._thread.wait()

    def forget(self) -> None:
        """The work is saved, or given up."""
        self._timer.stop()
        self.wait()
        self._thread.stop(_PATIENCE)
        self._discard(self._recovered)
        _remove(self._scene)
        self._let_go()

    def leave(self, patience: float) -> None:
        """Keep the newest scene for recovery and stop, waiting for so many seconds at most."""
        self._timer.stop()
        self.write()
        self._thread.wait(patience)
        self._thread.stop(_PATIENCE)
        self._let_go()

    def _let_go(self) -> None:
        if self._lock is not None:
            self._lock.release()
            self._lock = None


class _Snapshot(NamedTuple):
    """What is written: the project, its note, and the autosaves that it came from."""

    project: Project
    note: Lost
    recovered: tuple[Path, ...]


def lost() -> list[Lost]:
    """Autosaves of windows that no longer run, the newest first."""
    found = []
    for note in folder().glob("*.json"):
        scene = note.with_suffix(file.ENDING)
        if not zipfile.is_zipfile(scene) or is_held(note.with_suffix(".lock")):
            continue
        try:
            item = msgspec.json.decode(note.read_bytes(), type=Lost)
        except (OSError, msgspec.MsgspecError):
            item = Lost(scene.stem, "", 0.0)  # the note is damaged; the scene may well be whole
        item.scene = str(scene)
        found.append(item)
    return sorted(found, key=lambda item: -item.when)


def discard(scene: Path) -> None:
    """Remove an autosave whose window is gone, with its note and lock."""
    with contextlib.suppress(OSError), FileLock(scene.with_suffix(".lock")):
        _remove(scene)


def _remove(scene: Path) -> None:
    for ending in (file.ENDING, ".json"):
        with contextlib.suppress(OSError):
            scene.with_suffix(ending).unlink(missing_ok=True)
