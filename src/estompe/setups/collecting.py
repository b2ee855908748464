"""A scene with everything that it reads, in one folder that can be handed on."""

import os
import shutil
from pathlib import Path
from typing import NamedTuple

from estompe.document import file
from estompe.document.paths import files_of, pictures_of, with_paths
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.files.atomic import folder_whole
from estompe.files.places import missing_variables, place_of
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.footage import opened
from estompe.importing.link import Reading
from estompe.importing.reads import files_read
from estompe.kinds.context import CannotEvaluateError

FOLDER = "files"
"""Where the files are, beside the scene."""


class FileUsed(NamedTuple):
    """A file that a scene names. name: as it is written; place: on this machine; problem: words, "" where it is there."""

    name: str
    place: str
    problem: str


class Collected(NamedTuple):
    """What was collected. scene: the new scene file; files: how many were copied; notes: what is not in the folder."""

    scene: Path
    files: int
    notes: tuple[str, ...]


def files_used(scene: Scene) -> list[FileUsed]:
    """List the animated files and pictures that a scene names, each once."""
    return [_used(name) for name in dict.fromkeys((*files_of(scene), *pictures_of(scene)))]


def _used(name: str) -> FileUsed:
    place = place_of(name)
    missing = missing_variables(place)
    if missing:
        return FileUsed(name, place, f"${missing[0]} is not set")
    there = os.path.isdir(os.path.dirname(place)) if "#" in name else os.path.isfile(place)
    return FileUsed(name, place, "" if there else "is not there")


def collect(project: Project, folder: Path, title: str, progress: Progress) -> Collected:
    """Copy a scene and all files that it reads into a new folder; the copy reads the copies.

    Parameters
    ----------
    project : Project
        The scene, its arrays and variants.
    folder : Path
        The folder; it must not be there yet, or be empty. It appears when it is complete.
    title : str
        The name of the scene file, without its ending.
    progress : callable
        Gets a fraction and words; may raise to stop.

    Returns
    -------
    Collected
        What is in the folder, and what is not.

    Raises
    ------
    ExchangeError
        Where the folder is there already, or cannot be written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise ExchangeError(f"{folder}: is there already, so nothing is put into it: choose a new folder")
    names = list(dict.fromkeys(name for scene in _scenes(project) for name in (*files_of(scene), *pictures_of(scene))))
    sources = [name for name in files_read(project) if os.path.isfile(name)]
    root = os.path.commonpath([os.path.dirname(name) for name in sources]) if sources else "/"
    notes = [f"{item.name} {item.problem}" for item in map(_used, names) if item.problem]
    try:
        with folder_whole(folder) as part:
            for number, source in enumerate(sources):
                progress(number / (len(sources) + 1), f"copying {os.path.basename(source)}")
                target = part / FOLDER / os.path.relpath(source, root)
                target.parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(source, target)
            inside = {name: _inside(name, root, part) for name in names}
            copied = _renamed(project, {name: place for name, place in inside.items() if place})
            file.save(copied, part / f"{title}{file.ENDING}")
            notes += _left_outside(copied.scene, part)
    except OSError as error:
        raise ExchangeError(f"{error.filename or folder}: cannot be written ({error.strerror or error})") from None
    return Collected(folder / f"{title}{file.ENDING}", len(sources), tuple(notes))


def _scenes(project: Project) -> list[Scene]:
    return [project.scene, *(variant.scene for variant in project.variants)]


def _inside(name: str, root: str, folder: Path) -> str:
    """Where a file is in the folder, "" where it was not copied."""
    place = os.path.abspath(place_of(name))
    target = folder / FOLDER / os.path.relpath(place, root)
    there = target.parent.is_dir() if "#" in name else target.is_file()
    return str(target) if there else ""


def _renamed(project: Project, names: dict[str, str]) -> Project:
    def change(name: str) -> str:
        return names.get(name, name)

    return Project(with_paths(project.scene, change), project.assets, with_paths(project.variants, change))


def _left_outside(scene: Scene, folder: Path) -> list[str]:
    """What files in the folder refer to outside of it, in words."""
    inside = os.path.realpath(folder) + os.sep
    notes = []
    for name in files_of(scene):
        if not os.path.realpath(name).startswith(inside):
            continue
        try:
            about = opened(Reading.of(name, scene)).about
        except CannotEvaluateError as error:
            notes.append(str(error))
            continue
        outside = [other for other in about.files if not os.path.realpath(other).startswith(inside)]
        notes += [
            f"{os.path.basename(name)} still reads {other}, which it names by its whole path" for other in outside
        ]
    return notes
