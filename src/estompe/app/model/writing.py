"""The job that writes what was chosen on the output sheet; what draws, films and sends is loaded with it, not with the window."""

from collections.abc import Callable
from pathlib import Path

from estompe.app.model.output import Output
from estompe.document.project import Project
from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats, scene_writer_for
from estompe.farm.machines import check_machines
from estompe.farm.run import run as run_on_farm
from estompe.files.progress import ExchangeError, Progress
from estompe.output import pictures
from estompe.output.painter import Settings
from estompe.output.spec import OutputSpec
from estompe.render.item import GROUND
from estompe.setups.shot import look_through

Job = Callable[[Progress], str]


def job_of(output: Output, project: Project, falloff: str | None, title: str) -> Job:
    """What does the work and says in words what came of it. Raises ExchangeError for choices that cannot be."""
    spec = spec_of(output, falloff, title)
    if output.kind in ("pictures", "movie") and output.camera:
        project = project.with_scene(look_through(project.scene, output.camera))
    if output.machines and output.kind != "movie":
        return _sent(output.machines, project, spec)
    return lambda progress: spec.write(project, progress)


def spec_of(output: Output, falloff: str | None, title: str) -> OutputSpec:
    """What the sheet describes. Raises ExchangeError for choices that cannot be."""
    if not output.target:
        raise ExchangeError("say where it goes first")
    path = Path(output.target).expanduser()
    drawn = output.kind in ("pictures", "movie")
    if output.kind == "pictures":
        pictures.check_target(path, output.first, output.last)
    if output.kind in ("scene", "over", "meshes"):
        load_formats()
        if output.kind != "meshes" and scene_writer_for(path) is None:
            raise ExchangeError(f"{path.name}: end it in .usdc, .usda or .usd")
        if output.kind == "meshes" and output.meshes not in SEQUENCE_WRITERS:
            raise ExchangeError(f"there is no format {output.meshes}")
    return OutputSpec(
        kind=output.kind,
        target=str(path),
        first=output.first,
        last=output.last,
        mesh_format=output.meshes if output.kind == "meshes" else "",
        only=None if drawn or output.shapes is None else tuple(sorted(output.shapes)),
        drawing=_drawing(output, falloff, path) if drawn else None,
        full_float=output.full_float,
        per_frame=output.per_frame if output.kind in ("scene", "over") else 1,
        title=title if output.burn_in else "",
    )


def _drawing(output: Output, falloff: str | None, path: Path) -> Settings:
    """How pictures are drawn; layers go into EXR files alone."""
    layers = tuple(output.layers) if output.kind == "pictures" and path.suffix.lower() == ".exr" else ()
    shown, ground = falloff if output.strength else None, GROUND if output.background else None
    return Settings((output.width, output.height), output.samples, output.shutter, layers, shown, ground, output.view)


def _sent(machines: str, project: Project, spec: OutputSpec) -> Job:
    """The same on several machines."""
    check_machines(machines)

    def send(progress: Progress) -> str:
        count = run_on_farm(project, spec, machines, progress, tell=lambda text: progress(0.0, text))
        there = spec.last - spec.first + 1 - count
        return f"{count} frames made on {machines}" + (f"; {there} were there already" if there else "")

    return send
