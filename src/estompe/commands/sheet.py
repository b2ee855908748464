"""`estompe sheet`: draw a contact sheet of variants, or of numbers at several values."""

import argparse
from pathlib import Path

from estompe.commands.errors import UsageError
from estompe.commands.frame_numbers import frame_range
from estompe.commands.shared import (
    check_frame,
    falloff_id,
    open_project,
    picture_size,
    refuse_input,
    run_arguments,
    through_camera,
)
from estompe.commands.telling import Teller

HELP = "draw a contact sheet of variants, or of one or two numbers at several values"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument(
        "--vary",
        action="append",
        default=[],
        metavar="NAME=VALUES",
        help="such as 'Push.amount=0.1,0.2' or 'Glow.gone=0.5..1.5/4'",
    )
    parser.add_argument("--variants", metavar="NAME,...", help="the scene's variants by name, or all")
    parser.add_argument("--frame", type=float, metavar="N", help="the frame; the first one if left out")
    parser.add_argument("--frames", metavar="A-B", help="with --out X.mp4: the frames that are played")
    parser.add_argument("--size", default="320x200", metavar="WxH", help="of each picture")
    parser.add_argument("--camera", metavar="NAME", help="through which camera; the scene's if left out")
    parser.add_argument("--show", choices=("shaded", "strength"), default="shaded")
    parser.add_argument("--falloff", metavar="NAME", help="whose strength to show")
    parser.add_argument("--out", type=Path, required=True, metavar="X.png|X.mp4")
    run_arguments(parser)


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    tell = Teller(chosen.json)
    from estompe.document.varying import parse_varied
    from estompe.output import contact

    refuse_input(chosen.file, chosen.out)
    project = through_camera(open_project(chosen.file), chosen.camera)
    scene = project.scene
    if bool(chosen.vary) == (chosen.variants is not None):
        raise UsageError("say what the sheet shows, either with --vary NAME=VALUES or with --variants")
    try:
        if chosen.vary:
            cells = contact.cells_of_numbers(scene, [parse_varied(scene, text) for text in chosen.vary])
        else:
            names = None if chosen.variants == "all" else [name.strip() for name in chosen.variants.split(",")]
            known = {variant.name: variant for variant in project.variants}
            missing = [name for name in names or () if name not in known]
            if missing or not known:
                raise UsageError(f"there is no variant “{', '.join(missing)}”; there are: {', '.join(known) or 'none'}")
            cells = contact.cells_of_variants(scene, [known[name] for name in (names or known)])
    except ValueError as error:
        raise UsageError(str(error)) from None
    frame = scene.first if chosen.frame is None else chosen.frame
    check_frame(frame)
    first = last = frame
    if chosen.frames is not None:
        first, last = frame_range(chosen.frames, scene.first, scene.last)
    falloff = falloff_id(scene, chosen.falloff) if chosen.show == "strength" else None
    contact.write(project, cells, first, last, chosen.out, picture_size(chosen.size, 4096), tell, falloff)
    tell.done(f"{sum(map(len, cells))} pictures in {chosen.out}")
