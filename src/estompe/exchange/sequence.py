"""Sequences of mesh files, one per shape and frame."""

import contextlib
import tempfile
from collections.abc import Collection, Iterator
from pathlib import Path

from estompe.baking.frames import check_folder, check_frames, file_word, frames
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluation.time.past import Past
from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.reads import check_not_read


def check_target(project: Project, first: int, last: int, folder: Path, name: str) -> None:
    """Raise ExchangeError for a range that is none, or a folder that cannot take the files or has some that are read."""
    load_formats()
    check_frames(first, last)
    check_folder(folder)
    if folder.exists() and not folder.is_dir():
        raise ExchangeError(f"{folder}: is a file, not a folder")
    files = _targets(folder, _file_names(project.scene), first, last, SEQUENCE_WRITERS[name].ending)
    check_not_read(project, (file for file in files if file.exists()))


def write(
    project: Project,
    first: int,
    last: int,
    folder: Path,
    name: str,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    only: Collection[str] | None = None,
) -> list[Path]:
    """Bake frames to files such as `shape.0001.obj` in a folder, which is made if it is not there.

    The files appear together once all are written, or not at all. Returns them. only: ids of shapes. `progress` may
    raise to cancel. Raises ExchangeError.
    """
    check_target(project, first, last, folder, name)
    writer, names = SEQUENCE_WRITERS[name], _file_names(project.scene)
    made_here = not folder.exists()
    try:
        folder.mkdir(exist_ok=True)
        # Inside the folder, so that the files are on its file system, and only the folder need be writable.
        with tempfile.TemporaryDirectory(prefix=".estompe-", dir=folder) as part:
            for frame in frames(project, first, last, progress, past):
                for shape in frame.scene.shapes:
                    if only is not None and shape.id not in only:
                        continue
                    writer.write(frame, shape, Path(part) / _name(names[shape.id], int(frame.number), writer.ending))
            made = _moved(Path(part), folder)
        made_here = False
        return made
    except OSError as error:
        raise ExchangeError(f"{folder}: cannot be written ({error.strerror or error})") from None
    except MemoryError:
        raise ExchangeError(f"{folder}: a frame does not fit in memory") from None
    finally:
        if made_here:
            with contextlib.suppress(OSError):
                folder.rmdir()


def files_of(scene: Scene, folder: Path, name: str, number: int, only: Collection[str] | None = None) -> list[Path]:
    """The files of a frame. name: of the format; only: ids of shapes."""
    load_formats()
    ending, names = SEQUENCE_WRITERS[name].ending, _file_names(scene)
    return [folder / _name(names[shape], number, ending) for shape in names if only is None or shape in only]


def _targets(folder: Path, names: dict[str, str], first: int, last: int, ending: str) -> Iterator[Path]:
    return (folder / _name(name, number, ending) for name in names.values() for number in range(first, last + 1))


def _name(shape: str, number: int, ending: str) -> str:
    return f"{shape}.{number:04d}{ending}"


def _moved(part: Path, folder: Path) -> list[Path]:
    made = []
    for file in sorted(part.iterdir()):
        made.append(file.replace(folder / file.name))
    return made


def _file_names(scene: Scene) -> dict[str, str]:
    names: dict[str, str] = {}
    for shape in scene.shapes:
        names[shape.id] = file_word(shape.name.replace("_", "-"), names.values())
    return names
