"""The job that writes what was chosen on the output sheet; what draws, films and sends is loaded with it, not with the window."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from estompe.app.model.output import Output
from estompe.document.project import Project
from estompe.exchange import sequence
from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats, scene_writer_for
from estompe.exchange.usd.over import write_over
from estompe.farm.machines import check_machines
from estompe.farm.run import run as run_on_farm
from estompe.files.progress import ExchangeError, Progress
from estompe.output import movie, pictures
from estompe.output.painter import Settings
from estompe.render.item import GROUND
from estompe.setups.shot import look_through

Job = Callable[[Progress], str]


def job_of(output: Output, project: Project, falloff: str | None, title: str) -> Job:
    """What does the work and says in words what came of it. Raises ExchangeError for choices that cannot be."""
    if not output.target:
        raise ExchangeError("say where it goes first")
    path = Path(output.target).expanduser()
    if output.kind == "pictures":
        pictures.check_target(path, output.first, output.last)
    if output.kind in ("pictures", "movie") and output.camera:
        project = project.with_scene(look_through(project.scene, output.camera))
    if output.machines and output.kind != "movie":
        return _sent(output, project, path, falloff)
    if output.kind in ("scene", "over"):
        return _baked(output, project, path)
    if output.kind == "meshes":
        return _meshes(output, project, path)
    settings = _settings(output, falloff)
    return (
        _filmed(output, project, path, settings, title)
        if output.kind == "movie"
        else _drawn(output, project, path, settings)
    )


def _settings(output: Output, falloff: str | None) -> Settings:
    """How pictures are drawn, without layers."""
    ground = GROUND if output.background else None
    shown = falloff if output.strength else None
    return Settings((output.width, output.height), output.samples, output.shutter, (), shown, ground)


def _with_layers(output: Output, settings: Settings, path: Path) -> Settings:
    return settings._replace(layers=tuple(output.layers) if path.suffix.lower() == ".exr" else ())


def _filmed(output: Output, project: Project, path: Path, settings: Settings, title: str) -> Job:
    first, last, words = output.first, output.last, title if output.burn_in else ""

    def film(progress: Progress) -> str:
        movie.write(project, first, last, path, settings, progress, None, words)
        return f"frames {first}–{last} are in {path}"

    return film


def _drawn(output: Output, project: Project, path: Path, plain: Settings) -> Job:
    first, last, full = output.first, output.last, output.full_float
    settings = _with_layers(output, plain, path)

    def draw(progress: Progress) -> str:
        made = pictures.write(project, first, last, path, settings, progress, None, full)
        there = f"; {made.there} were there already" if made.there else ""
        return f"{made.made} pictures are in {path.parent}{there}"

    return draw


def _sent(output: Output, project: Project, path: Path, falloff: str | None) -> Job:
    """The same on several machines."""
    assert output.kind != "movie"
    check_machines(output.machines)
    drawn = output.kind == "pictures"
    settings = _with_layers(output, _settings(output, falloff), path) if drawn else None
    first, last, kind, machines = output.first, output.last, output.kind, output.machines
    only = None if drawn else output.shapes
    mesh_format = output.meshes if kind == "meshes" else ""
    full = output.full_float

    def send(progress: Progress) -> str:
        made = run_on_farm(
            project, first, last, path, kind, machines, progress,
            mesh_format=mesh_format, only=only, settings=settings, full_float=full,
            tell=lambda text: progress(0.0, text),
        )  # fmt: skip
        there = last - first + 1 - made
        return f"{made} frames made on {machines}" + (f"; {there} were there already" if there else "")

    return send


def _baked(output: Output, project: Project, path: Path) -> Job:
    load_formats()
    writer = scene_writer_for(path)
    if writer is None:
        raise ExchangeError(f"{path.name}: end it in .usdc, .usda or .usd")
    write: Any = write_over if output.kind == "over" else writer.write
    first, last, only = output.first, output.last, output.shapes

    def bake(progress: Progress) -> str:
        write(project, first, last, path, progress, None, only)
        return f"frames {first}–{last} are in {path}"

    return bake


def _meshes(output: Output, project: Project, path: Path) -> Job:
    load_formats()
    if output.meshes not in SEQUENCE_WRITERS:
        raise ExchangeError(f"there is no format {output.meshes}")
    first, last, only, name = output.first, output.last, output.shapes, output.meshes

    def bake(progress: Progress) -> str:
        made = sequence.write(project, first, last, path, name, progress, None, only)
        return f"{len(made)} files are in {path}"

    return bake
