"""`estompe land`: print what makes a falloff reach a shape on a frame, as JSON."""

import argparse
import json
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.shared import open_project

HELP = "print what makes a falloff reach a shape on a frame, as JSON"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--shape", required=True, metavar="NAME")
    parser.add_argument("--falloff", required=True, metavar="NAME")
    parser.add_argument(
        "--frame", type=float, required=True, metavar="N", help="the frame on which it should be reached"
    )
    parser.add_argument(
        "--share", type=float, default=0.5, metavar="0..1", help="how much of the shape; one half if left out"
    )
    parser.add_argument("--element", type=int, metavar="N", help="one element instead, by its number")
    parser.add_argument("--strength", type=float, default=0.5, metavar="0..1", help="the strength that counts")
    parser.add_argument("--number", metavar="NAME", help="a number that may change too, such as 'Fire.Spread.rise'")
    parser.add_argument("--take", type=int, metavar="N", help="with --save: the proposal to take, from 1 on")
    parser.add_argument("--save", type=Path, metavar="X.estompe", help="write the scene with that change")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.analysis.landing import CannotLandError, Landing, aim_at
    from estompe.document import file
    from estompe.document.naming import path_of

    if (chosen.take is None) != (chosen.save is None):
        raise UsageError("--take and --save belong together: which proposal, and where the scene goes")
    if chosen.save is not None and chosen.save.suffix != file.ENDING:
        raise UsageError(f"{chosen.save}: a scene file ends in {file.ENDING}")
    if not 0 < chosen.share <= 1 or not 0 < chosen.strength < 1:
        raise UsageError("--share and --strength are fractions: use numbers between 0 and 1")
    project = open_project(chosen.file)
    try:
        wanted = {"share": chosen.share, "strength": chosen.strength, "element": chosen.element}
        landing = Landing(project, aim_at(project, chosen.shape, chosen.falloff, **wanted))
        now = landing.now()
        found = list(landing.proposals(chosen.frame))
        if chosen.number is not None:
            found.append(landing.with_number(path_of(project.scene, tuple(chosen.number.split("."))), chosen.frame))
    except (CannotLandError, LookupError) as error:
        raise UsageError(str(error)) from None
    ways = [{"change": item.label, "lands": round(item.lands, 3)} for item in found]
    print(json.dumps({"now": round(now, 3), "ways": ways}, indent=1, ensure_ascii=False))
    if chosen.save is not None:
        if not 1 <= chosen.take <= len(found):
            raise UsageError(f"--take {chosen.take}: there are {len(found)} proposals")
        file.save(project.with_scene(found[chosen.take - 1].scene), chosen.save)
