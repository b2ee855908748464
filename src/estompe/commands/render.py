"""`estompe render`: draw a frame through the scene's camera."""

import argparse
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.shared import evaluated_frame, falloff_id, open_project, picture_size

HELP = "draw a frame through the scene's camera"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be said after it."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frame", type=float, metavar="N", help="the frame; the first one if left out")
    parser.add_argument("--size", default="1280x800", metavar="WxH", help="the picture's width and height")
    parser.add_argument("--out", type=Path, required=True, metavar="X.png")
    parser.add_argument("--show", choices=("shaded", "strength"), default="shaded")
    parser.add_argument("--falloff", metavar="NAME", help="whose strength to show")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    from estompe.render import picture

    size = picture_size(chosen.size, picture.LARGEST)
    if chosen.out.suffix.lower() != ".png":
        raise UsageError(f"{chosen.out}: pictures are PNG, end it in .png")
    project = open_project(chosen.file)
    frame = evaluated_frame(project, project.scene.first if chosen.frame is None else chosen.frame)
    falloff = None
    if chosen.show == "strength":
        falloff = falloff_id(frame, chosen.falloff)
    drawn = picture.camera_picture(frame, size, falloff)
    try:
        picture.save_png(drawn, chosen.out)
    except OSError as error:
        raise UsageError(f"{chosen.out}: cannot be written ({error.strerror or error})") from None
