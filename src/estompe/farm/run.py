"""Sending a run to several machines: frames in chunks, what is finished taken down, and the layers joined as they come."""

import re
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec

from estompe.baking.manifest import Progressing, job_of, only_run
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluation.time.state_files import default_folder
from estompe.exchange import sequence
from estompe.exchange.usd.joining import Joining, LayerPart
from estompe.exchange.usd.over import stage_of, sublayer
from estompe.exchange.usd.saving import reason
from estompe.farm import worker
from estompe.farm.job import Job, chunk_size, chunks, remembers
from estompe.farm.machines import Tls, answers, check_machines, client_of, threads_of, warning_of
from estompe.files.atomic import written_whole
from estompe.files.places import place_of
from estompe.files.progress import ExchangeError, Progress
from estompe.output import pictures
from estompe.output.estimate import Estimate
from estompe.output.spec import OutputSpec

_TICK = 0.2
_ENDS = ("finished", "error", "cancelled")
_GONE = "the scheduler has ended: what is finished stays, so give the same command again"


def run(
    project: Project,
    spec: OutputSpec,
    machines: str,
    progress: Progress = lambda _fraction, _text: None,
    states: Path | None = None,
    *,
    tls: Tls | None = None,
    tell: Callable[[str], None] = lambda _text: None,
) -> int:
    """Write frames on several machines; the same command goes on where an earlier run stopped.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    spec : OutputSpec
        What is written where; its target and the folder beside it must be seen by all machines.
    machines : str
        A number of processes here, or the address of a scheduler.
    progress : callable
        Told a fraction and words; it may raise to cancel, and what is finished by then stays.
    states : Path, optional
        Where states are kept.
    tls : Tls, optional
        The certificates with which a scheduler is reached.
    tell : callable
        Gets what a person should know besides.

    Returns
    -------
    int
        How many frames were made.

    Raises
    ------
    ExchangeError
        Where they cannot be written.
    """
    spec.check(project)
    if spec.per_frame > 1:
        raise ExchangeError("several samples a frame are written by one machine alone: leave the machines out")
    check_machines(machines)
    target = spec.path
    parts = target.with_name(f".{target.name}.parts")
    with only_run(target):
        parts.mkdir(exist_ok=True)
        job = Job(
            msgspec.structs.replace(spec, target=str(target.absolute())),
            str((parts / "scene.estompe").absolute()),
            str(parts.absolute()),
            str((states or default_folder()).absolute()),
            threads_of(machines),
        )
        whole = msgspec.structs.replace(spec, target=target.name, first=0, last=0)
        progressing = Progressing(parts / "finished.json", job_of(project, msgspec.json.encode(whole)))
        if not progressing.went_on:
            _clear(parts)
        file.save(Project(project.scene, project.assets), Path(job.scene))
        wanted = range(spec.first, spec.last + 1)
        frames = [number for number in wanted if not _is_there(job, project.scene, progressing, number)]
        warning = warning_of(machines)
        if warning:
            tell(warning)
        with client_of(machines, tls) as client, _layers(job, project.scene) as layers:
            made = _Run(client, job, project.scene, progressing, progress, layers.join, tell).work(frames)
            layers.finish()
        shutil.rmtree(parts, ignore_errors=True)
    progress(1.0, "done")
    return made


def _clear(parts: Path) -> None:
    """Remove what an earlier run of something else left."""
    for path in parts.glob("*.usdc"):
        path.unlink()


def _is_there(job: Job, scene: Scene, progressing: Progressing, number: int) -> bool:
    """Whether an earlier run finished a frame, and it is still there."""
    if not progressing.is_finished(number):
        return False
    if job.spec.kind in ("scene", "over"):
        return any(part.first <= number <= part.last for part in _parts(Path(job.parts)))
    spec = job.spec
    if spec.kind == "pictures":
        return pictures.file_of(spec.path, number).exists()
    return all(path.exists() for path in sequence.files_of(scene, spec.path, spec.mesh_format, number, spec.only))


class _Run:
    """One run: chunks sent, followed, and taken down."""

    def __init__(
        self,
        client: Any,
        job: Job,
        scene: Scene,
        progressing: Progressing,
        progress: Progress,
        join: Callable[[], None],
        tell: Callable[[str], None],
    ) -> None:
        self._tell = tell
        self._client, self._job, self._scene = client, job, scene
        self._progressing, self._progress, self._join = progressing, progress, join
        self._share, self._left = 0.0, Estimate(0)

    def work(self, frames: list[int]) -> int:
        """Have frames written. Raises ExchangeError for the first that cannot be, and what `progress` raises."""
        if not frames:
            return 0
        workers = len(self._client.scheduler_info()["workers"])
        self._check_folder()
        made = chunks(frames, chunk_size(len(frames), workers))
        futures = self._sent(made)
        self._left = Estimate(len(frames))
        done = 0
        try:
            for future in self._finished(futures):
                begin, end = future.result()
                # Nothing is asked of it any more: if its worker dies now, it must not be made again.
                future.release()
                for number in range(begin, end + 1):
                    self._progressing.take_in(number)
                self._note_part(begin, end)
                self._progressing.write()
                self._join()
                done += end - begin + 1
                self._share = done / len(frames)
                self._left.step(end - begin + 1)
        except BaseException:
            self._client.cancel(list(futures))
            raise
        return done

    def _sent(self, made: list[tuple[int, int]]) -> dict[Any, tuple[int, int]]:
        text, client = self._job.encoded(), self._client
        futures: dict[Any, tuple[int, int]] = {}
        before, home = None, None
        if remembers(self._scene):
            # A chain with memory runs in order on one worker, and goes to another only if that one dies.
            home = sorted(client.scheduler_info()["workers"])[0]
        for begin, end in made:
            after = None
            if home is not None:
                after = before = client.submit(
                    _remember,
                    text,
                    self._scene.first,
                    end,
                    before,
                    workers=[home],
                    allow_other_workers=True,
                    pure=False,
                    priority=10,
                )
            futures[client.submit(worker.work, text, begin, end, after, pure=False)] = (begin, end)
        return futures

    def _finished(self, futures: dict[Any, tuple[int, int]]) -> Iterator[Any]:
        """Futures as they end; asked several times a second, so that cancelling does not wait for a chunk.

        A future whose worker died with its result is “lost” until another worker has computed it again.
        """
        waiting, count = set(futures), len(futures)
        workers = set(self._client.scheduler_info()["workers"])
        while waiting:
            workers = self._watched(workers)
            ended = {future: status for future in waiting if (status := future.status) in _ENDS}
            for future, status in ended.items():
                begin, end = futures.pop(future)
                if status == "cancelled":
                    raise ExchangeError(_GONE)
                if status == "error":
                    raise ExchangeError(f"frames {begin}–{end} cannot be made: {_words(future.exception())}")
                yield future
            waiting -= ended.keys()
            self._progress(self._share, f"{count - len(waiting)} of {count} chunks{self._left.words}")
            if not ended:
                time.sleep(_TICK)

    def _watched(self, before: set[str]) -> set[str]:
        """The workers there are; one that died is told. Raises ExchangeError where the scheduler is gone."""
        if self._client.status not in ("running", "connecting"):
            raise ExchangeError(_GONE)
        now = set(self._client.scheduler_info()["workers"])
        for address in sorted(before - now):
            self._tell(f"the worker {address} died; another one makes its frames")
        return now

    def _check_folder(self) -> None:
        """Raise ExchangeError where a worker does not see the folder."""
        for address, found in answers(self._client, worker.sees, self._job.scene).items():
            if found is not True:
                raise ExchangeError(
                    f"the worker {address} does not see {self._job.parts}: use a folder that all machines share"
                )

    def _note_part(self, begin: int, end: int) -> None:
        """Say in a layer's name which frames it holds, once it is whole."""
        if self._job.spec.kind in ("scene", "over"):
            self._job.part(begin).replace(Path(self._job.parts) / f"{begin}_{end}.usdc")


def _remember(text: str, first: int, last: int, _before: object) -> int:
    return worker.remember(text, first, last)


def _words(error: BaseException | None) -> str:
    if type(error).__name__ == "KilledWorker":
        return "every worker that tried died: there may be too little memory"
    return str(error) or type(error).__name__


def _parts(folder: Path) -> list[LayerPart]:
    """The layers that are whole, in the order of their frames."""
    found = []
    for path in folder.glob("*_*.usdc"):
        frames = re.fullmatch(r"(-?\d+)_(-?\d+)", path.stem)
        if frames is not None:  # others are still being written, by a worker of a run that was stopped
            found.append(LayerPart(path, int(frames[1]), int(frames[2])))
    return sorted(found, key=lambda part: part.first)


class _Layers:
    """The layers of all chunks, made into one as they come: each once what goes before it is there."""

    def __init__(self, job: Job, scene: Scene, whole: Path) -> None:
        self._job, self._scene, self._whole = job, scene, whole
        self._next, self._last = job.spec.first, job.spec.last
        self._joining: Joining | None = None

    def join(self) -> None:
        """Take in the layers that are whole and follow those before. Raises ExchangeError."""
        for part in _parts(Path(self._job.parts)):
            if part.first <= self._next <= part.last and self._next <= self._last:
                self._joining = self._joining or self._begun(part)
                self._joining.add(LayerPart(part.path, self._next, min(part.last, self._last)))
                self._next = part.last + 1

    def finish(self) -> None:
        """Take in the rest, and write what they make together. Raises ExchangeError."""
        self.join()
        if self._joining is None or self._next <= self._last:
            raise ExchangeError(
                f"the layer of frame {self._next} is not in {self._job.parts}: run the same command again"
            )
        self._joining.finish()

    def _begun(self, part: LayerPart) -> Joining:
        spec = self._job.spec
        if spec.kind != "over":
            return Joining(self._whole, 1.0, None)
        below = sublayer(place_of(stage_of(self._scene, spec.only)), spec.path)
        return Joining(self._whole, _codes_per_frame(part.path, self._scene), [below])


class _NoLayers:
    """What there is to join where every frame is a file of its own."""

    def join(self) -> None:
        """Nothing."""

    def finish(self) -> None:
        """Nothing."""


@contextmanager
def _layers(job: Job, scene: Scene) -> Iterator[_Layers | _NoLayers]:
    """What joins the layers of a run, into a file that is there at the end or not at all."""
    if job.spec.kind not in ("scene", "over"):
        yield _NoLayers()
        return
    target = job.spec.path
    try:
        with written_whole(target) as whole:
            whole.unlink()
            yield _Layers(job, scene, whole)
    except OSError as error:
        raise ExchangeError(f"{target}: cannot be written ({reason(error, target)})") from None


def _codes_per_frame(path: Path, scene: Scene) -> float:
    from pxr import Sdf

    layer = Sdf.Layer.OpenAsAnonymous(str(path))
    return float(layer.timeCodesPerSecond) / scene.frames_per_second
