"""`estompe remember`: work out what a scene remembers, so that others need not."""

import argparse
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import open_project, past_of, tell_trouble
from estompe.commands.telling import Teller

HELP = "work out what a scene remembers, so that others need not"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    parser.add_argument("--states", type=Path, metavar="DIR", help="where it is kept; the cache if left out")
    parser.add_argument("--into", type=Path, metavar="X.estompe", help="write the scene with the states in it")
    parser.add_argument("--every", type=int, default=1, metavar="N", help="with --into: only every so many frames")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.baking.states import with_states, work_out
    from estompe.document import file

    if chosen.into is not None and chosen.into.suffix != file.ENDING:
        raise UsageError(f"{chosen.into}: a scene file ends in {file.ENDING}")
    if chosen.every < 1:
        raise UsageError(f"--every {chosen.every}: use a whole number from 1 on")
    project = open_project(chosen.file)
    first, last = frame_range(chosen.frames, project.scene.first, project.scene.last)
    if last < first:
        raise UsageError(f"--frames {chosen.frames}: the last comes before the first")
    past = past_of(project, chosen.states)
    steps = work_out(past, first, last, Teller())
    kept = sum(len(links) for links in past.links.values())
    print(f"{len(past.links)} places remember: {kept} states, {steps} steps run now")
    if chosen.into is not None:
        made = with_states(past, chosen.every)
        file.save(made, chosen.into)
        print(f"{len(made.scene.states)} states are in {chosen.into}")
    tell_trouble(past)
