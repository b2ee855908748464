"""`estompe setup`: keep a shape's effects as a set-up, or put a set-up on a shape."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from estompe.commands.errors import UsageError
from estompe.commands.shared import evaluated_frame, open_project

if TYPE_CHECKING:
    from estompe.document.project import Project
    from estompe.kernels.types import Floats

HELP = "keep a shape's effects as a set-up of one's own, or put one on a shape"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE", help="a scene")
    parser.add_argument("--shape", required=True, metavar="NAME", help="whose effects are kept, or what it is put on")
    parser.add_argument("--use", metavar="NAME|X.estompe", help="a set-up by name or file; without it, one is kept")
    parser.add_argument(
        "--save", type=Path, required=True, metavar="X.estompe", help="where the set-up, or the scene, goes"
    )


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.document import file
    from estompe.setups import own

    if chosen.save.suffix != file.ENDING:
        raise UsageError(f"{chosen.save}: a scene file ends in {file.ENDING}")
    project = open_project(chosen.file)
    shape = next((item.id for item in project.scene.shapes if item.name == chosen.shape), None)
    if shape is None:
        names = ", ".join(item.name for item in project.scene.shapes)
        raise UsageError(f"there is no shape “{chosen.shape}”; there are: {names or 'none'}")
    low, high = _bounds(project, shape)
    try:
        if chosen.use is None:
            file.save(own.gathered(project, shape, low, high), chosen.save)
            print(f"the effects of {chosen.shape} are a set-up in {chosen.save}")
            return
        path = own.kept().get(chosen.use, Path(chosen.use))
        made = own.fitted(project, shape, low, high, own.load(path))
    except own.SetupError as error:
        raise UsageError(str(error)) from None
    file.save(made.project, chosen.save)
    print(f"{path.stem} is on {chosen.shape} in {chosen.save}")


def _bounds(project: "Project", shape: str) -> "tuple[Floats, Floats]":
    """The bounds of a shape before its effects, on the first frame."""
    frame = evaluated_frame(project, project.scene.first)
    return frame.states_of(shape)[0].bounds
