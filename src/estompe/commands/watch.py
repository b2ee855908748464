"""`estompe watch`: write an over, a bake or a picture again each time the scene is saved, so that a viewer beside follows."""

import argparse
import sys
import time
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import open_project, past_of, refuse_input, shape_ids, tell_trouble
from estompe.commands.telling import Teller

HELP = "write a USD file again each time the scene is saved"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="SCENE")
    parser.add_argument("--out", type=Path, required=True, metavar="X.usda|X.usdc")
    parser.add_argument("--over", action="store_true", help="only what differs from the stage it was imported from")
    parser.add_argument("--frames", metavar="A-B", help="the frames; the whole shot if left out")
    parser.add_argument("--only", metavar="SHAPE,...", help="these shapes, by name")
    parser.add_argument(
        "--every", type=float, default=0.5, metavar="SECONDS", help="how often to look; 0.5 if left out"
    )
    parser.add_argument("--times", type=int, default=0, metavar="N", help="stop after writing so often; 0 goes on")


def run(chosen: argparse.Namespace) -> None:
    """Run the command until it is stopped. Raises UsageError."""
    if not 0.05 <= chosen.every <= 3600:
        raise UsageError(f"--every {chosen.every:g}: use seconds from 0.05 to 3600")
    refuse_input(chosen.file, chosen.out)
    written, before = 0, None
    while not chosen.times or written < chosen.times:
        now = _stamp(chosen.file)
        if now is not None and now != before:
            before = now
            written += _write(chosen)
        if not chosen.times or written < chosen.times:
            time.sleep(chosen.every)


def _stamp(file: Path) -> tuple[int, int] | None:
    try:
        status = file.stat()
    except OSError:
        return None
    return status.st_mtime_ns, status.st_size


def _write(chosen: argparse.Namespace) -> int:
    """Write the file once, or say why it cannot be written. Returns 1 where it was written, else 0."""
    from estompe.document.file import FileError
    from estompe.exchange.formats import load_formats, scene_writer_for
    from estompe.exchange.usd.over import write_over
    from estompe.files.progress import ExchangeError

    load_formats()
    writer = scene_writer_for(chosen.out)
    if writer is None:
        raise UsageError(f"{chosen.out}: end it in .usdc, .usda or .usd")
    try:
        project = open_project(chosen.file)
        first, last = frame_range(chosen.frames, project.scene.first, project.scene.last)
        past, write = past_of(project, None), write_over if chosen.over else writer.write
        write(project, first, last, chosen.out, Teller(), past, shape_ids(project, chosen.only))
    except (FileError, ExchangeError) as error:
        print(f"estompe: {error}", file=sys.stderr)
        return 0
    print(f"frames {first}-{last} in {chosen.out}", flush=True)
    tell_trouble(past)
    return 1
