"""What runs on a worker: a chunk of frames from a scene file, written where everybody sees it."""

import importlib.metadata
import os
import threading
from pathlib import Path

from estompe.baking.states import past_of, work_out
from estompe.document import file
from estompe.document.file import VERSION
from estompe.document.project import Project
from estompe.evaluation.time.past import Past
from estompe.exchange import sequence
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd
from estompe.farm.job import Job, decoded
from estompe.kernels.compile import use_threads
from estompe.output import pictures
from estompe.output.painter import Painter, Settings
from estompe.output.picture_files import save
from estompe.output.spec import OutputSpec

# A worker mostly gets chunks of one scene: what they share is kept from one to the next.
_ONE_TASK = threading.Lock()
"""What tasks share belongs to one thread at a time."""
_KEPT: dict[tuple[str, int], tuple[Project, Past]] = {}


def version() -> str:
    """What a worker must have in common with the machine that sends it work."""
    return f"{importlib.metadata.version('estompe')}, scene files {VERSION}"


def sees(path: str) -> bool:
    """Whether a worker sees a file."""
    return os.path.exists(path)


def remember(text: str, first: int, last: int) -> int:
    """Work out what the scene remembers up to a frame, from the nearest state that is kept; returns the steps that were run."""
    job = decoded(text)
    with _ONE_TASK:
        use_threads(job.threads)
        _, past = _project(job)
        return work_out(past, first, last)


def work(text: str, first: int, last: int, after: object = None) -> tuple[int, int]:
    """Write the frames of a chunk; returns the first and the last. after: what had to be done before."""
    del after
    with _ONE_TASK:
        return _worked(decoded(text), first, last)


def _worked(job: Job, first: int, last: int) -> tuple[int, int]:
    use_threads(job.threads)
    project, past = _project(job)
    spec = job.spec
    if spec.kind == "pictures":
        _draw(spec, project, past, first, last)
    elif spec.kind == "meshes":
        sequence.write(project, first, last, spec.path, spec.mesh_format, past=past, only=spec.shapes)
    else:
        write = write_over if spec.kind == "over" else usd.write
        write(project, first, last, job.part(first), past=past, only=spec.shapes)
    return first, last


def _draw(spec: OutputSpec, project: Project, past: Past, first: int, last: int) -> None:
    with Painter(project, spec.drawing or Settings((0, 0)), past) as painter:
        for number in range(first, last + 1):
            save(painter.paint(number), pictures.file_of(spec.path, number), spec.full_float)


def _project(job: Job) -> tuple[Project, Past]:
    key = job.scene, os.stat(job.scene).st_mtime_ns
    if key not in _KEPT:
        _KEPT.clear()
        project = file.load(Path(job.scene))
        _KEPT[key] = project, past_of(project, Path(job.states))
    return _KEPT[key]
