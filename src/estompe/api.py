"""What scripts use: open a scene file, evaluate it on a frame, save it."""

import os
from pathlib import Path

from estompe.document import file
from estompe.document.project import Project
from estompe.evaluate import Frame, Memo
from estompe.evaluate import evaluate as evaluate_frame

_MEMO = Memo()


def open(path: str | os.PathLike[str]) -> Project:
    """The project in a scene file. Raises FileError."""
    return file.load(Path(path))


def save(project: Project, path: str | os.PathLike[str]) -> None:
    """Write a project to a scene file, whole or not at all. Raises FileError."""
    file.save(project, Path(path))


def evaluate(project: Project, frame: float) -> Frame:
    """Every shape on one frame; results are kept between calls, so unchanged stages are not computed again."""
    return evaluate_frame(project, frame, _MEMO)
