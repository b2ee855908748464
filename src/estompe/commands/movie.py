"""`estompe movie`: draw frames through the scene's camera into a movie."""

import argparse
from pathlib import Path

from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import (
    drawing_arguments,
    drawing_settings,
    open_project,
    past_of,
    refuse_input,
    run_arguments,
    tell_trouble,
    through_camera,
)
from estompe.commands.telling import Teller

HELP = "draw frames through the scene's camera, as a movie"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    parser.add_argument("--out", type=Path, required=True, metavar="X.mp4|X.webm")
    parser.add_argument(
        "--burn-in", action="store_true", help="with the scene's name and the frame's number in each picture"
    )
    drawing_arguments(parser)
    run_arguments(parser)


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    tell = Teller(chosen.json)
    from estompe.output.spec import OutputSpec

    refuse_input(chosen.file, chosen.out)
    project = through_camera(open_project(chosen.file), chosen.camera)
    first, last = frame_range(chosen.frames, project.scene.first, project.scene.last)
    past = past_of(project, None, allows_problems=chosen.allow_problems)
    spec = OutputSpec(
        kind="movie", target=str(chosen.out), first=first, last=last, drawing=drawing_settings(project, chosen),
        title=chosen.file.stem if chosen.burn_in else "",
    )  # fmt: skip
    tell.done(spec.write(project, tell, past))
    tell_trouble(past)
