"""Which formats there are: readers and writers register themselves, so that a new one is one file.

A reader's or writer's module must import quickly: slow libraries are imported where they are used.
"""

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple, Protocol

from estompe.document.project import Project
from estompe.document.scene import Shape
from estompe.evaluate.frame import Frame
from estompe.evaluate.past import Past
from estompe.exchange.errors import Progress
from estompe.geometry import Geometry
from estompe.registered import import_all

Read = Callable[[Path, Progress, float], Geometry]
"""Reads a file, tells its progress, and gives one mesh; the number says how many metres a scene unit is."""
WriteShape = Callable[[Frame, Shape, Path], None]
"""Writes one shape of one frame into a file that is moved to its place afterwards."""


class WriteScene(Protocol):
    """Writes the frames from one to another into one file, whole or not at all."""

    def __call__(
        self, project: Project, first: int, last: int, path: Path, progress: Progress = ..., past: Past | None = None
    ) -> None:
        """progress: may raise to cancel; past: the other moments of the scene. Raises ExchangeError."""


class Reader(NamedTuple):
    """A format that meshes can be imported from."""

    label: str
    endings: tuple[str, ...]
    read: Read


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


READERS: dict[str, Reader] = {}
SCENE_WRITERS: dict[str, SceneWriter] = {}
SEQUENCE_WRITERS: dict[str, SequenceWriter] = {}


def register_reader(reader: Reader) -> None:
    """Make a reader known for its endings. Raises ValueError for an ending that is taken."""
    for ending in reader.endings:
        if ending in READERS:
            raise ValueError(f"there are two readers for {ending}")
        READERS[ending] = reader


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
    """Register the formats in `readers` and `writers`."""
    import estompe.exchange.readers
    import estompe.exchange.writers

    for package in (estompe.exchange.readers, estompe.exchange.writers):
        import_all(package.__name__, package.__path__)


def scene_writer_for(path: Path) -> SceneWriter | None:
    """The writer for a file's ending."""
    load_formats()
    return next((item for item in SCENE_WRITERS.values() if path.suffix.lower() in item.endings), None)
