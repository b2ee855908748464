"""Autosave, and the offer to recover after a crash."""

import os
import threading
import time
from pathlib import Path

import msgspec
import platformdirs
from PyQt6.QtCore import QObject, QTimer

from estompe.app.session import Session
from estompe.document import file
from estompe.document.atomic import written_whole
from estompe.document.project import Project
from estompe.document.scene import Scene

EVERY = 20_000


class Lost(msgspec.Struct):
    """An autosaved scene whose window is gone."""

    title: str
    original: str
    when: float
    scene: str = ""

    @property
    def path(self) -> Path:
        return Path(self.scene)

    def words(self) -> str:
        """What a person is asked."""
        return f"“{self.title}” was not saved when Estompe last ended ({time.strftime('%H:%M', time.localtime(self.when))})."


def folder() -> Path:
    """Where autosaves are kept."""
    return platformdirs.user_state_path("estompe") / "autosave"


class Autosave(QObject):
    """Writes the scene beside nothing of the person's, some seconds after it changed; removed when the window ends well."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._written: Scene | None = None
        self._writing = threading.Thread()
        self._scene = folder() / f"{os.getpid()}{file.ENDING}"
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self.write)
        self._timer.start()

    def write(self) -> None:
        """Keep the scene, on a thread of its own, if it has unsaved changes that are not kept yet."""
        session = self._session
        if not session.unsaved or session.scene is self._written or self._writing.is_alive():
            return
        self._written = session.scene
        note = Lost(session.title, str(session.path or ""), time.time())
        self._writing = threading.Thread(target=self._keep, args=(session.project, note), name="estompe-autosave")
        self._writing.start()

    def _keep(self, project: Project, note: Lost) -> None:
        try:
            folder().mkdir(parents=True, exist_ok=True)
            file.save(project, self._scene)
            with written_whole(self._scene.with_suffix(".json")) as part:
                part.write_bytes(msgspec.json.encode(note))
        except (OSError, file.FileError) as error:
            self._session.said.emit(f"autosave failed: {error}", "warning")

    def wait(self) -> None:
        """Until what is being written is there."""
        if self._writing.is_alive():
            self._writing.join()

    def forget(self) -> None:
        """The work is saved, or given up."""
        self._timer.stop()
        self.wait()
        discard(self._scene)


def lost() -> list[Lost]:
    """Autosaves of windows that no longer run, the newest first."""
    found = []
    for note in folder().glob("*.json"):
        scene = note.with_suffix(file.ENDING)
        if not note.stem.isdigit() or _runs(int(note.stem)) or not scene.exists():
            continue
        try:
            item = msgspec.json.decode(note.read_bytes(), type=Lost)
        except (OSError, msgspec.MsgspecError):
            continue
        item.scene = str(scene)
        found.append(item)
    return sorted(found, key=lambda item: -item.when)


def discard(scene: Path) -> None:
    """Remove an autosave and its note."""
    scene.unlink(missing_ok=True)
    scene.with_suffix(".json").unlink(missing_ok=True)


def _runs(process: int) -> bool:
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
