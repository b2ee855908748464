"""`estompe bake`: evaluate frames and write meshes."""

import argparse
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import (
    machines_argument,
    open_project,
    past_of,
    refuse_input,
    run_arguments,
    send,
    shape_ids,
    tell_trouble,
)
from estompe.commands.telling import Teller

HELP = "evaluate frames and write meshes"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    parser.add_argument(
        "--out", type=Path, required=True, metavar="X.usdc|DIR", help="a USD file, or a folder with --as"
    )
    parser.add_argument("--as", dest="format", metavar="FORMAT", help="a sequence of mesh files: obj or ply")
    parser.add_argument(
        "--states", type=Path, metavar="DIR", help="where what the scene remembers is kept; else the cache"
    )
    parser.add_argument(
        "--over", action="store_true", help="only what differs from the stage the scene was imported from"
    )
    parser.add_argument("--only", metavar="SHAPE,...", help="these shapes, by name")
    parser.add_argument(
        "--samples-per-frame",
        dest="per_frame",
        type=int,
        default=1,
        metavar="N",
        help="of USD, for motion blur: 1 to 64",
    )
    machines_argument(parser)
    parser.add_argument("--from-cache", action="store_true", help="work out nothing: fail where a state is not kept")
    run_arguments(parser)


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    tell = Teller(chosen.json)
    from estompe.exchange.formats import SCENE_WRITERS, SEQUENCE_WRITERS, load_formats, scene_writer_for
    from estompe.output.spec import OutputSpec

    load_formats()
    if chosen.format is not None and chosen.format not in SEQUENCE_WRITERS:
        raise UsageError(f"--as {chosen.format}: there are {', '.join(SEQUENCE_WRITERS)}")
    writer = scene_writer_for(chosen.out)
    if chosen.format is None and writer is None:
        ends = " or ".join(ending for item in SCENE_WRITERS.values() for ending in item.endings)
        words = " or ".join(f"--as {name}" for name in SEQUENCE_WRITERS)
        raise UsageError(f"{chosen.out}: end it in {ends}, or say {words} for a folder")
    refuse_input(chosen.file, chosen.out)
    project = open_project(chosen.file)
    first, last = frame_range(chosen.frames, project.scene.first, project.scene.last)
    only = shape_ids(project, chosen.only)
    spec = OutputSpec(
        kind="meshes" if chosen.format is not None else "over" if chosen.over else "scene",
        target=str(chosen.out), first=first, last=last, mesh_format=chosen.format or "",
        only=None if only is None else tuple(sorted(only)), per_frame=chosen.per_frame,
    )  # fmt: skip
    if chosen.machines is not None:
        send(project, spec, chosen, tell, chosen.states)
        return
    past = past_of(project, chosen.states, chosen.from_cache, chosen.allow_problems)
    tell.done(spec.write(project, tell, past))
    tell_trouble(past)
