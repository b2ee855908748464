"""`estompe overlaps`: print where one shape lies inside another after all effects, as JSON."""

import argparse
import json
from pathlib import Path

from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import open_project

HELP = "print where one shape lies inside another after all effects, as JSON"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.analysis.overlaps import open_shapes, overlaps
    from estompe.evaluation import Memo, evaluate

    project = open_project(chosen.file)
    first, last = frame_range(chosen.frames, project.scene.first, project.scene.last)
    names = {shape.id: shape.name for shape in project.scene.shapes}
    memo, found = Memo(), []
    opened: set[str] = set()
    for number in range(first, last + 1):
        frame = evaluate(project, number, memo)
        opened |= set(open_shapes(frame))
        found += [
            {
                "frame": number,
                "inside": names[item.other],
                "shape": names[item.inside],
                "points": len(item.points),
                "deepest": round(item.deepest, 6),
            }
            for item in overlaps(frame)
        ]
    told = {"frames": {"first": first, "last": last}, "overlaps": found, "open": sorted(opened)}
    print(json.dumps(told, indent=1, ensure_ascii=False))
