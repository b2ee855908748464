"""`estompe collect`: copy a scene and everything that it reads into a new folder."""

import argparse
import json
import sys
from pathlib import Path

from estompe.commands.shared import open_project
from estompe.commands.telling import Teller

HELP = "copy a scene and everything that it reads into a new folder"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--to", type=Path, metavar="FOLDER", help="the new folder; without it, the files are listed")
    parser.add_argument("--json", action="store_true", help="progress, or the list, as JSON")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises ExchangeError."""
    from estompe.setups.collecting import collect, files_used

    project = open_project(chosen.file)
    if chosen.to is None:
        used = files_used(project.scene)
        if chosen.json:
            print(json.dumps([item._asdict() for item in used], indent=1, ensure_ascii=False))
            return
        for item in used:
            print(f"{item.name}  {item.problem}".rstrip())
        return
    collected = collect(project, chosen.to, chosen.file.stem, Teller(chosen.json))
    for note in collected.notes:
        print(f"estompe: {note}", file=sys.stderr)
    print(f"the scene and {collected.files} of its files are in {chosen.to}")
