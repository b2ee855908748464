"""`estompe render`: draw frames through the scene's camera."""

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING

from estompe.commands.errors import UsageError
from estompe.commands.frame_numbers import frame_numbers, frame_range
from estompe.commands.shared import (
    check_frame,
    drawing_arguments,
    drawing_settings,
    falloff_id,
    machines_argument,
    open_project,
    past_of,
    picture_size,
    refuse_input,
    run_arguments,
    send,
    tell_trouble,
    through_camera,
    whole_frame,
)
from estompe.commands.telling import Teller

if TYPE_CHECKING:
    from estompe.document.project import Project

HELP = "draw frames through the scene's camera, as pictures"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frame", type=float, metavar="N", help="one frame; the first one if left out")
    parser.add_argument("--frames", metavar="FRAMES", help="such as 1-10x2,15,20.5, into files such as shot.####.exr")
    parser.add_argument("--out", type=Path, required=True, metavar="X.png|NAME.####.exr")
    parser.add_argument(
        "--layers",
        metavar="LAYER,...",
        help="with .exr: depth, normal, id, motion, matte-shapes, matte-elements, strength:NAME, in the same files",
    )
    parser.add_argument("--float", dest="full_float", action="store_true", help="with .exr: colours as 32 bit")
    drawing_arguments(parser)
    run_arguments(parser)
    machines_argument(parser)


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    tell = Teller(chosen.json)
    refuse_input(chosen.file, chosen.out)
    if chosen.frames is None and chosen.out.suffix.lower() == ".png" and chosen.layers is None and not chosen.view:
        _run_one(chosen)
        return
    from estompe.output import pictures
    from estompe.output.picture_files import ENDINGS
    from estompe.output.spec import OutputSpec

    if chosen.out.suffix.lower() not in ENDINGS:
        raise UsageError(f"{chosen.out}: end it in {' or '.join(ENDINGS)}")
    project = through_camera(open_project(chosen.file), chosen.camera)
    frame = project.scene.first if chosen.frame is None else chosen.frame
    check_frame(frame)
    first = last = round(frame)
    numbers = None
    if chosen.frames is not None:
        numbers = frame_numbers(chosen.frames, project.scene.first, project.scene.last)
        first, last = math.floor(numbers[0]), math.ceil(numbers[-1])
        if numbers == list(range(project.scene.first, project.scene.last + 1)):
            numbers = None
    elif frame != first and chosen.machines is not None:
        raise UsageError(f"--frame {frame:g}: several machines draw whole frames")
    layers = tuple(name.strip() for name in (chosen.layers or "").split(",") if name.strip())
    settings = drawing_settings(project, chosen)._replace(layers=layers)
    spec = OutputSpec(
        kind="pictures", target=str(chosen.out), first=first, last=last, drawing=settings,
        full_float=chosen.full_float, numbers=None if numbers is None else tuple(numbers),
    )  # fmt: skip
    if chosen.machines is not None:
        frame_range(chosen.frames, first, last)
        send(project, spec, chosen, tell)
        return
    past = past_of(project, None, allows_problems=chosen.allow_problems)
    if chosen.frames is None and frame != first:
        pictures.write_one(project, frame, chosen.out, settings, tell, past, chosen.full_float)
        tell.done(f"frame {frame:g} through {project.scene.camera.name} in {chosen.out}")
    else:
        tell.done(spec.write(project, tell, past))
    tell_trouble(past)


def _run_one(chosen: argparse.Namespace) -> None:
    from estompe.output.pictures import check_pictures_not_read
    from estompe.render import picture

    size = picture_size(chosen.size, picture.LARGEST)
    project: Project = through_camera(open_project(chosen.file), chosen.camera)
    check_pictures_not_read(project, chosen.out, 0, 0)
    frame = whole_frame(project, project.scene.first if chosen.frame is None else chosen.frame)
    falloff = None
    if chosen.show == "strength":
        falloff = falloff_id(frame.scene, chosen.falloff)
    drawn = picture.camera_picture(frame, size, falloff)
    try:
        picture.save_png(drawn, chosen.out)
    except OSError as error:
        raise UsageError(f"{chosen.out}: cannot be written ({error.strerror or error})") from None
