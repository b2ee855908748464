"""`estompe sample`: list the sample scenes, or save one."""

import argparse
import shutil
from pathlib import Path
from typing import TYPE_CHECKING

from estompe.commands.errors import UsageError
from estompe.commands.shared import named_sample

if TYPE_CHECKING:
    from estompe.document.project import Project

HELP = "list the sample scenes, or save one"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("name", nargs="?", metavar="NAME")
    parser.add_argument("--list", action="store_true", help="print the samples' names")
    parser.add_argument("--save", type=Path, metavar="FILE", help="write the scene to a file")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.samples import SAMPLES

    if chosen.list or chosen.name is None:
        for item in SAMPLES:
            print(f"{item.name}\t{item.text}")
        return
    from estompe.document import file

    built = named_sample(chosen.name).build()
    if chosen.save is None:
        raise UsageError("say where to write the sample, with --save FILE.estompe")
    if chosen.save.suffix != file.ENDING:
        raise UsageError(f"{chosen.save}: a scene file ends in {file.ENDING}")
    file.save(_with_files_beside(built, chosen.save.parent), chosen.save)


def _with_files_beside(project: "Project", folder: Path) -> "Project":
    """A sample with copies of its animated files beside it, so that they can be taken along. Raises UsageError."""
    from estompe.document.paths import files_of, with_paths

    copies = {name: str(folder.absolute() / Path(name).name) for name in files_of(project.scene)}
    for name, copy in copies.items():
        try:
            shutil.copyfile(name, copy)
        except OSError as error:
            raise UsageError(f"{copy}: cannot be written ({error.strerror or error})") from None
    return project.with_scene(with_paths(project.scene, lambda name: copies.get(name, name)))
