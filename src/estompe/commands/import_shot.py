"""`estompe import`: make a scene that refers to the prims of an animated file."""

import argparse
import json
import sys
from pathlib import Path

from estompe.commands.errors import UsageError

HELP = "make a scene that refers to the meshes, cameras and transforms of an animated file"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument(
        "shot", type=Path, metavar="SHOT", help="a USD or glTF file, or a sequence such as name.####.obj"
    )
    parser.add_argument("--only", metavar="PRIM,...", help="these prims, and what is below them")
    parser.add_argument("--list", action="store_true", help="print what the file holds, as JSON, and stop")
    parser.add_argument(
        "--into", type=Path, metavar="SCENE.estompe", help="a scene to add it to; a new one if left out"
    )
    parser.add_argument("--save", type=Path, metavar="SCENE.estompe", help="where the scene goes")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    import msgspec

    from estompe.document import file
    from estompe.document.project import Project
    from estompe.document.scene import Scene
    from estompe.setups.shot import ShotError, listed, with_shot

    project = file.load(chosen.into) if chosen.into is not None else Project(Scene())
    try:
        footage = listed(chosen.shot, project.scene)
        if chosen.list:
            about = footage.about
            told = {"first": about.first, "last": about.last, "per_second": about.rate, "up": about.up,
                    "metres_per_unit": about.metres_per_unit, "notes": about.notes,
                    "prims": msgspec.to_builtins(about.entries)}  # fmt: skip
            print(json.dumps(told, indent=1, ensure_ascii=False))
            return
        if chosen.save is None or chosen.save.suffix != file.ENDING:
            raise UsageError(f"say where the scene goes, with --save SCENE{file.ENDING}")
        only = None if chosen.only is None else [name.strip() for name in chosen.only.split(",") if name.strip()]
        made = with_shot(project, footage, only)
    except ShotError as error:
        raise UsageError(str(error)) from None
    for note in made.notes:
        print(f"estompe: {chosen.shot}: {note}", file=sys.stderr)
    file.save(made.project, chosen.save)
    print(f"{made.words} in {chosen.save}")
