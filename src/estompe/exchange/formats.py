"""Which formats can be written: writers register themselves, so that a new one is one file.

A writer's module must import quickly: slow libraries are imported where they are used.
"""

from collections.abc import Callable, Collection
from pathlib import Path
from typing import NamedTuple, Protocol

from estompe.document.project import Project
from estompe.document.scene import Shape
from estompe.evaluation.frame import Frame
from estompe.evaluation.time.past import Past
from estompe.files.progress import Progress
from estompe.registered import import_all

WriteShape = Callable[[Frame, Shape, Path], None]
"""Writes one shape of one frame into a file that is moved to its place afterwards."""


class WriteScene(Protocol):
    """Writes the frames from one to another into one file, whole or not at all."""

    def __call__(
        self,
        project: Project,
        first: int,
        last: int,
        path: Path,
        progress: Progress = ...,
        past: Past | None = None,
        only: Collection[str] | None = None,
        per_frame: int = 1,
    ) -> None:
        """Write it.

        progress: may raise to cancel; past: the other moments of the scene; only: ids of shapes; per_frame: samples from each
        frame to the next. Raises ExchangeError.
        """


class SceneWriter(NamedTuple):
    """A format that holds an animated scene."""

    name: str
    label: str
    endings: tuple[str, ...]
    write: WriteScene


class SequenceWriter(NamedTuple):
    """A format that holds one mesh, written once per shape and frame."""

    name: str
    label: str
    ending: str
    write: WriteShape


SCENE_WRITERS: dict[str, SceneWriter] = {}
SEQUENCE_WRITERS: dict[str, SequenceWriter] = {}


def register_scene_writer(writer: SceneWriter) -> None:
    """Make a writer of animated scenes known by its name. Raises ValueError for a name that is taken."""
    if writer.name in SCENE_WRITERS:
        raise ValueError(f"there are two writers called {writer.name}")
    SCENE_WRITERS[writer.name] = writer


def register_sequence_writer(writer: SequenceWriter) -> None:
    """Make a writer of single meshes known by its name. Raises ValueError for a name that is taken."""
    if writer.name in SEQUENCE_WRITERS:
        raise ValueError(f"there are two writers called {writer.name}")
    SEQUENCE_WRITERS[writer.name] = writer


def load_formats() -> None:
    """Register the formats in `writers`."""
    import estompe.exchange.writers

    import_all(estompe.exchange.writers.__name__, estompe.exchange.writers.__path__)


def scene_writer_for(path: Path) -> SceneWriter | None:
    """The writer for a file's ending."""
    load_formats()
    return next((item for item in SCENE_WRITERS.values() if path.suffix.lower() in item.endings), None)
