"""The files that a scene reads, with everything that those files refer to; none of them is ever written to."""

import os
import re
from collections.abc import Iterable, Iterator
from pathlib import Path

from estompe.document.paths import files_of, pictures_of
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.files.places import place_of
from estompe.files.progress import ExchangeError
from estompe.importing.content import Stamps, stamps_of
from estompe.importing.footage import opened
from estompe.importing.link import Reading
from estompe.kinds.context import CannotEvaluateError

_MOST_PICTURES = 1_000_000
Identity = tuple[int, int]


def files_read(project: Project) -> tuple[str, ...]:
    """List every file that a project's scene and its variants read.

    Returns
    -------
    tuple of str
        Absolute paths, sorted: animated files with their layers, references, payloads and buffers, the files of sequences, and
        pictures. Of an animated file that cannot be opened only the file itself.
    """
    found: set[str] = set()
    for scene in (project.scene, *(variant.scene for variant in project.variants)):
        for name in files_of(scene):
            found.update(_with_all_it_refers_to(name, scene))
        for name in pictures_of(scene):
            found.update(_pictures(name))
    return tuple(sorted(os.path.abspath(name) for name in found))


def stamps_read(project: Project) -> tuple[tuple[str, ...], Stamps]:
    """Return the files that a project reads, and what tells their present state from another."""
    names = files_read(project)
    return names, stamps_of(names)


def check_not_read(project: Project, targets: Iterable[Path]) -> None:
    """Raise ExchangeError where one of the files that are to be written is one that the project reads.

    Links and relative paths are resolved on both sides.
    """
    names = files_read(project)
    if not names:
        return
    paths = {os.path.realpath(name) for name in names}
    identities = {about for name in names if (about := _identity(name)) is not None}
    for target in targets:
        real = os.path.realpath(target)
        if real in paths or _identity(real) in identities:
            raise ExchangeError(f"{target}: the scene reads this file, so it is not written over: choose another name")


def _with_all_it_refers_to(name: str, scene: Scene) -> Iterable[str]:
    try:
        footage = opened(Reading.of(name, scene))
    except CannotEvaluateError:
        return (place_of(name),)
    return (place_of(name), *footage.about.files)


def _pictures(name: str) -> Iterator[str]:
    """The files that a picture's name stands for: one, or those of a sequence."""
    name = place_of(name)
    if "#" not in name:
        yield name
        return
    folder, file = os.path.split(name)
    before, _, after = file.partition("#")
    pattern = re.compile(re.escape(before) + r"-?\d+" + re.escape(after.lstrip("#")))
    try:
        with os.scandir(folder or ".") as there:
            for count, item in enumerate(there):
                if count > _MOST_PICTURES:
                    return
                if pattern.fullmatch(item.name):
                    yield os.path.join(folder, item.name)
    except OSError:
        return


def _identity(name: str) -> Identity | None:
    try:
        about = os.stat(name)
    except (OSError, ValueError):
        return None
    return about.st_dev, about.st_ino
