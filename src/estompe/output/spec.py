"""What is written where: one description for the command line, the window's form and the machines of a farm."""

from pathlib import Path
from typing import Literal

import msgspec

from estompe.document.project import Project
from estompe.evaluation.time.past import Past
from estompe.files.progress import ExchangeError, Progress
from estompe.output.painter import Settings

MOST_PER_FRAME = 64
Kind = Literal["scene", "over", "meshes", "pictures", "movie"]


class OutputSpec(msgspec.Struct, frozen=True, kw_only=True):
    """A run.

    kind: a USD file, an over of the stage that was imported, a folder of mesh files, numbered pictures, or a movie; target: the
    file, the folder, or the name of pictures with #; mesh_format: of mesh files; only: ids of shapes, None for all; drawing: how
    pictures are drawn; full_float: whether colours in EXR are 32 bit; title: burnt into each picture of a movie with the frame's
    number, "" for nothing; numbers: some frames of a sequence of pictures, None for all from first to last; per_frame: samples of
    USD from each frame to the next.
    """

    kind: Kind
    target: str
    first: int
    last: int
    mesh_format: str = ""
    only: tuple[str, ...] | None = None
    drawing: Settings | None = None
    full_float: bool = False
    title: str = ""
    numbers: tuple[float, ...] | None = None
    per_frame: int = 1

    @property
    def path(self) -> Path:
        """The target."""
        return Path(self.target)

    @property
    def shapes(self) -> frozenset[str] | None:
        """The shapes that are written, None for all."""
        return None if self.only is None else frozenset(self.only)

    def check(self, project: Project) -> None:
        """Raise ExchangeError for a target that cannot be written, before any work begins."""
        from estompe.exchange import sequence
        from estompe.exchange.usd.saving import check_target
        from estompe.output import pictures

        self._check_per_frame()
        if self.kind == "pictures":
            pictures.check_target(self.path, self.first, self.last, self.drawing.layers if self.drawing else ())
            pictures.check_pictures_not_read(project, self.path, self.first, self.last)
        elif self.kind == "meshes":
            sequence.check_target(project, self.first, self.last, self.path, self.mesh_format)
        elif self.kind != "movie":
            check_target(project, self.path, self.first, self.last)

    def write(self, project: Project, progress: Progress, past: Past | None = None) -> str:
        """Write it on this machine.

        Parameters
        ----------
        project : Project
            The scene and its arrays.
        progress : callable
            Told a fraction and words; it may raise to cancel.
        past : Past, optional
            The other frames of the scene.

        Returns
        -------
        str
            What was written, in words.

        Raises
        ------
        ExchangeError
            Where it cannot be written or the scene has problems.
        """
        self._check_per_frame()
        write = {"pictures": self._draw, "movie": self._film, "meshes": self._meshes}.get(self.kind, self._bake)
        return write(project, progress, past)

    def _check_per_frame(self) -> None:
        if not 1 <= self.per_frame <= MOST_PER_FRAME:
            raise ExchangeError(f"{self.per_frame} samples a frame: use 1 to {MOST_PER_FRAME}")
        if self.per_frame > 1 and self.kind not in ("scene", "over"):
            raise ExchangeError("several samples a frame are for USD: mesh files and pictures have one each")

    def _settings(self) -> Settings:
        if self.drawing is None:
            raise ExchangeError("say how large pictures are")
        return self.drawing

    def _draw(self, project: Project, progress: Progress, past: Past | None) -> str:
        from estompe.output import pictures

        written = pictures.write(
            project, self.first, self.last, self.path, self._settings(), progress, past, self.full_float, self.numbers
        )
        there = f", {written.there} were there already" if written.there else ""
        return f"{written.made} pictures through {project.scene.camera.name} in {self.path.parent}{there}"

    def _film(self, project: Project, progress: Progress, past: Past | None) -> str:
        from estompe.output import movie

        movie.write(project, self.first, self.last, self.path, self._settings(), progress, past, self.title)
        return f"frames {self.first}-{self.last} through {project.scene.camera.name} in {self.path}"

    def _meshes(self, project: Project, progress: Progress, past: Past | None) -> str:
        from estompe.exchange import sequence
        from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats

        load_formats()
        if self.mesh_format not in SEQUENCE_WRITERS:
            raise ExchangeError(f"there is no format {self.mesh_format}; there are {', '.join(SEQUENCE_WRITERS)}")
        files = sequence.write(project, self.first, self.last, self.path, self.mesh_format, progress, past, self.shapes)
        return f"{len(files)} files in {self.path}"

    def _bake(self, project: Project, progress: Progress, past: Past | None) -> str:
        from estompe.exchange.formats import SCENE_WRITERS, load_formats, scene_writer_for
        from estompe.exchange.usd.over import write_over

        load_formats()
        writer = scene_writer_for(self.path)
        if writer is None:
            ends = " or ".join(ending for item in SCENE_WRITERS.values() for ending in item.endings)
            raise ExchangeError(f"{self.path.name}: end it in {ends}")
        write = write_over if self.kind == "over" else writer.write
        write(project, self.first, self.last, self.path, progress, past, self.shapes, self.per_frame)
        over = "over" if self.kind == "over" else "in"
        return f"frames {self.first}-{self.last} {over} {self.path}"
