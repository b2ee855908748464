"""Which formats can be imported: readers register themselves, so that a new one is one file.

A reader's module must import quickly: slow libraries are imported where they are used.
"""

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from estompe.files.progress import Progress
from estompe.geometry import Geometry
from estompe.registered import import_all

Read = Callable[[Path, Progress, float], Geometry]
"""Reads a file, tells its progress, and gives one mesh; the number says how many metres a scene unit is."""


class Reader(NamedTuple):
    """A format that meshes can be imported from."""

    label: str
    endings: tuple[str, ...]
    read: Read


READERS: dict[str, Reader] = {}


def register_reader(reader: Reader) -> None:
    """Make a reader known for its endings. Raises ValueError for an ending that is taken."""
    for ending in reader.endings:
        if ending in READERS:
            raise ValueError(f"there are two readers for {ending}")
        READERS[ending] = reader


def load_readers() -> None:
    """Register the formats in `readers`."""
    import estompe.importing.readers

    import_all(estompe.importing.readers.__name__, estompe.importing.readers.__path__)
