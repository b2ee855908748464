"""What should be written, as it is chosen on the output sheet, and the job that writes it."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from estompe.document.project import Project
from estompe.exchange import sequence
from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats, scene_writer_for
from estompe.exchange.usd.over import write_over
from estompe.farm.machines import check_machines
from estompe.farm.run import run as run_on_farm
from estompe.importing.errors import ExchangeError, Progress
from estompe.output import movie, pictures
from estompe.output.painter import Settings
from estompe.render.renderer import GROUND
from estompe.setups.shot import look_through

Kind = Literal["scene", "over", "meshes", "pictures", "movie"]
ENDINGS: dict[Kind, str] = {"scene": ".usdc", "over": ".usda", "meshes": "", "pictures": ".####.exr", "movie": ".mp4"}


@dataclass
class Output:
    """What is written where.

    shapes: ids, None for all; layers: of pictures; meshes: the format of a mesh sequence; shot: the frame range of the scene it
    was last chosen for; machines: a number of processes or the address of a scheduler, "" for this process alone.
    """

    kind: Kind = "pictures"
    first: int = 1
    last: int = 1
    target: str = ""
    camera: str = ""
    width: int = 1920
    height: int = 1080
    samples: int = 4
    shutter: float = 0.0
    layers: list[str] = field(default_factory=list)
    full_float: bool = False
    background: bool = False
    strength: bool = False
    burn_in: bool = False
    meshes: str = "obj"
    shapes: frozenset[str] | None = None
    shot: tuple[int, int] = (0, -1)
    machines: str = ""

    def job(self, project: Project, falloff: str | None, title: str) -> Callable[[Progress], str]:
        """What does the work and says in words what came of it. Raises ExchangeError for choices that cannot be."""
        if not self.target:
            raise ExchangeError("say where it goes first")
        path = Path(self.target).expanduser()
        if self.kind == "pictures":
            pictures.check_target(path, self.first, self.last)
        if self.kind in ("pictures", "movie") and self.camera:
            project = project.with_scene(look_through(project.scene, self.camera))
        if self.machines and self.kind != "movie":
            return self._farm_job(project, path, falloff)
        if self.kind in ("scene", "over"):
            return self._scene_job(project, path)
        if self.kind == "meshes":
            return self._meshes_job(project, path)
        settings, first, last = self._settings(falloff), self.first, self.last
        if self.kind == "movie":
            words = title if self.burn_in else ""

            def film(progress: Progress) -> str:
                movie.write(project, first, last, path, settings, progress, None, words)
                return f"frames {first}–{last} are in {path}"

            return film
        settings = self._with_layers(settings, path)
        full = self.full_float

        def draw(progress: Progress) -> str:
            made = pictures.write(project, first, last, path, settings, progress, None, full)
            there = f"; {made.there} were there already" if made.there else ""
            return f"{made.made} pictures are in {path.parent}{there}"

        return draw

    def _settings(self, falloff: str | None) -> Settings:
        """How pictures are drawn, without layers."""
        ground = GROUND if self.background else None
        shown = falloff if self.strength else None
        return Settings((self.width, self.height), self.samples, self.shutter, (), shown, ground)

    def _with_layers(self, settings: Settings, path: Path) -> Settings:
        return settings._replace(layers=tuple(self.layers) if path.suffix.lower() == ".exr" else ())

    def _farm_job(self, project: Project, path: Path, falloff: str | None) -> Callable[[Progress], str]:
        """The same on several machines."""
        assert self.kind != "movie"
        check_machines(self.machines)
        drawn = self.kind == "pictures"
        settings = self._with_layers(self._settings(falloff), path) if drawn else None
        first, last, kind, machines = self.first, self.last, self.kind, self.machines
        only = None if drawn else self.shapes
        mesh_format = self.meshes if kind == "meshes" else ""
        full = self.full_float

        def send(progress: Progress) -> str:
            made = run_on_farm(
                project, first, last, path, kind, machines, progress,
                mesh_format=mesh_format, only=only, settings=settings, full_float=full,
            )  # fmt: skip
            there = last - first + 1 - made
            return f"{made} frames made on {machines}" + (f"; {there} were there already" if there else "")

        return send

    def _scene_job(self, project: Project, path: Path) -> Callable[[Progress], str]:
        load_formats()
        writer = scene_writer_for(path)
        if writer is None:
            raise ExchangeError(f"{path.name}: end it in .usdc, .usda or .usd")
        write: Any = write_over if self.kind == "over" else writer.write
        first, last, only = self.first, self.last, self.shapes

        def bake(progress: Progress) -> str:
            write(project, first, last, path, progress, None, only)
            return f"frames {first}–{last} are in {path}"

        return bake

    def _meshes_job(self, project: Project, path: Path) -> Callable[[Progress], str]:
        load_formats()
        if self.meshes not in SEQUENCE_WRITERS:
            raise ExchangeError(f"there is no format {self.meshes}")
        first, last, only, name = self.first, self.last, self.shapes, self.meshes

        def bake(progress: Progress) -> str:
            made = sequence.write(project, first, last, path, name, progress, None, only)
            return f"{len(made)} files are in {path}"

        return bake
