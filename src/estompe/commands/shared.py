"""What several commands do alike: finding the project, the frames and what to show, and telling how far they are."""

import argparse
import math
import os
import re
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from estompe.commands.errors import UsageError

if TYPE_CHECKING:
    from estompe.commands.telling import Teller
    from estompe.document.project import Project
    from estompe.document.scene import Scene
    from estompe.evaluation import Frame
    from estompe.evaluation.time.past import Past
    from estompe.farm.machines import Tls
    from estompe.output.painter import Settings
    from estompe.output.spec import OutputSpec
    from estompe.samples import Sample


def named_sample(name: str) -> "Sample":
    """A sample by its name. Raises UsageError."""
    from estompe import samples

    try:
        return samples.sample(name)
    except KeyError:
        raise UsageError(
            f"there is no sample “{name}”; there are: {', '.join(item.name for item in samples.SAMPLES)}"
        ) from None


def open_project(path: Path) -> "Project":
    """The project in a scene file, or one made around a mesh."""
    import estompe
    from estompe.document.file import ENDING
    from estompe.importing.isolated import read_mesh_isolated
    from estompe.setups.meshes import project_around

    if path.suffix.lower() == ENDING or path.is_dir() or not path.exists():
        return estompe.open(path)
    mesh = read_mesh_isolated(path, lambda _fraction, _text: None)
    for note in mesh.notes:
        print(f"estompe: {path}: {note}", file=sys.stderr)
    return project_around(mesh, path)


def refuse_input(file: Path, out: Path) -> None:
    """Raise UsageError where a command would write over the very file that it was given."""
    if os.path.realpath(file) == os.path.realpath(out):
        raise UsageError(f"{out}: is the file that is read: choose another name")


def past_of(project: "Project", states: Path | None, only_kept: bool = False, allows_problems: bool = False) -> "Past":
    """The other frames of a project, with its states. Raises UsageError."""
    from estompe.baking.states import past_of

    if states is not None and states.exists() and not states.is_dir():
        raise UsageError(f"{states}: is a file, not a folder")
    past = past_of(project, states, only_kept=only_kept)
    past.allows_problems = allows_problems
    return past


def tell_trouble(past: "Past") -> None:
    """Say what could not be kept; the work itself is done."""
    if past.keep.trouble:
        print(f"estompe: {past.keep.trouble}", file=sys.stderr)


def check_frame(frame: float) -> None:
    """Raise UsageError for a number that is no frame."""
    if not math.isfinite(frame) or abs(frame) > 1e9:
        raise UsageError(f"--frame {frame:g}: use a number up to a thousand million")


def evaluated_frame(project: "Project", frame: float) -> "Frame":
    """A frame. Raises UsageError for one that is none."""
    import estompe

    try:
        return estompe.evaluate(project, frame)
    except ValueError as error:
        raise UsageError(f"--frame: {error}") from None


def whole_frame(project: "Project", frame: float) -> "Frame":
    """A frame without problems. Raises SceneProblemsError, as writing several frames does."""
    from estompe.baking.frames import check_sound

    made = evaluated_frame(project, frame)
    check_sound(made, f"frame {frame:g} cannot be drawn", past_of(project, None))
    return made


def shape_ids(project: "Project", names: str | None) -> frozenset[str] | None:
    """The ids of shapes by their names, with commas between them; None where none are named. Raises UsageError."""
    if names is None:
        return None
    known = {shape.name: shape.id for shape in project.scene.shapes}
    wanted = [name.strip() for name in names.split(",") if name.strip()]
    missing = [name for name in wanted if name not in known]
    if missing or not wanted:
        raise UsageError(f"--only: there is no shape “{', '.join(missing)}”; there are: {', '.join(known) or 'none'}")
    return frozenset(known[name] for name in wanted)


def picture_size(text: str, most: int) -> tuple[int, int]:
    """A picture size as it is typed. Raises UsageError."""
    match = re.fullmatch(r"(\d{1,6})x(\d{1,6})", text)
    if match is None or not all(1 <= int(side) <= most for side in match.groups()):
        raise UsageError(f"--size {text}: write it as WIDTHxHEIGHT, each 1 to {most}")
    return int(match[1]), int(match[2])


def falloff_id(scene: "Scene", name: str | None) -> str:
    """The id of a falloff by its name; of the only one where no name is given. Raises UsageError."""
    names = ", ".join(item.name for item in scene.falloffs)
    if name is None and len(scene.falloffs) == 1:
        return scene.falloffs[0].id
    if name is None:
        raise UsageError(f"--show strength needs --falloff NAME; there are: {names or 'none'}")
    for falloff in scene.falloffs:
        if name in (falloff.id, falloff.name):
            return falloff.id
    raise UsageError(f"there is no falloff “{name}”; there are: {names or 'none'}")


def drawing_arguments(parser: argparse.ArgumentParser) -> None:
    """What can be said of how pictures are drawn."""
    parser.add_argument("--size", default="1280x800", metavar="WxH", help="the picture's width and height")
    parser.add_argument("--camera", metavar="NAME", help="through which camera; the scene's if left out")
    parser.add_argument("--samples", type=int, default=1, metavar="N", help="draws for smoother edges, 1 to 256")
    parser.add_argument("--shutter", type=float, default=0.0, metavar="FRAMES", help="motion blur, such as 0.5")
    parser.add_argument(
        "--view", default="", metavar="DISPLAY/VIEW", help="of OpenColorIO, for PNG and movies; sRGB if left out"
    )
    parser.add_argument("--show", choices=("shaded", "strength"), default="shaded")
    parser.add_argument("--falloff", metavar="NAME", help="whose strength to show")


def run_arguments(parser: argparse.ArgumentParser) -> None:
    """How a run tells how far it is, and whether it goes on with problems."""
    parser.add_argument("--json", action="store_true", help="progress as a line of JSON for each step, on stdout")
    parser.add_argument(
        "--allow-problems", action="store_true", help="write frames even where the scene has problems on them"
    )


def machines_argument(parser: argparse.ArgumentParser) -> None:
    """On how many machines a run is made."""
    parser.add_argument(
        "--machines",
        metavar="N|tcp://HOST:PORT",
        help="so many processes here, or a scheduler; the same command goes on",
    )
    parser.add_argument("--tls-ca", type=Path, metavar="FILE", help="with tls://: who signed the certificates")
    parser.add_argument("--tls-cert", type=Path, metavar="FILE", help="with tls://: your own certificate")
    parser.add_argument("--tls-key", type=Path, metavar="FILE", help="with tls://: its key")


def tls_of(chosen: argparse.Namespace) -> "Tls | None":
    """The certificates with which a scheduler is reached. Raises UsageError where some are missing."""
    from estompe.farm.machines import Tls

    files = chosen.tls_ca, chosen.tls_cert, chosen.tls_key
    if not any(files):
        return None
    if not all(files):
        raise UsageError("--tls-ca, --tls-cert and --tls-key belong together")
    return Tls(*map(str, files))


def send(
    project: "Project", spec: "OutputSpec", chosen: argparse.Namespace, tell: "Teller", states: Path | None = None
) -> None:
    """Write on several machines what a command would write here. Raises ExchangeError."""
    from estompe.farm.run import run

    count = run(project, spec, chosen.machines, tell, states, tls=tls_of(chosen), tell=tell_note)
    what = "pictures" if spec.kind == "pictures" else "frames"
    where = spec.path.parent if spec.kind == "pictures" else spec.path
    tell.done(f"{count} {what} made, {spec.last - spec.first + 1} in {where}")


def tell_note(text: str) -> None:
    """Say something that a person should know while work goes on."""
    print(f"estompe: {text}", file=sys.stderr)


def drawing_settings(project: "Project", chosen: argparse.Namespace) -> "Settings":
    """How pictures are drawn, as it was typed. Raises UsageError."""
    from estompe.output.painter import Settings
    from estompe.render.final import MOST_SIDE

    if not 1 <= chosen.samples <= 256:
        raise UsageError(f"--samples {chosen.samples}: use a number from 1 to 256")
    if not 0.0 <= chosen.shutter <= 4.0:
        raise UsageError(f"--shutter {chosen.shutter:g}: use frames from 0 to 4")
    falloff = falloff_id(project.scene, chosen.falloff) if chosen.show == "strength" else None
    return Settings(picture_size(chosen.size, MOST_SIDE), chosen.samples, chosen.shutter, (), falloff, view=chosen.view)


def through_camera(project: "Project", name: str | None) -> "Project":
    """The project seen through a camera by its name. Raises UsageError."""
    from estompe.setups.shot import look_through

    if name is None:
        return project
    try:
        return project.with_scene(look_through(project.scene, name))
    except LookupError as error:
        raise UsageError(f"--camera: {error}") from None
