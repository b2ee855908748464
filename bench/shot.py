"""Animated files in and out: reading a cache, overs against whole scenes, pictures with layers, and two processes against one."""

import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from msgspec import structs

from bench import cores
from bench.figures import Figure, Task, in_turn, milliseconds
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.move import Move
from estompe.evaluation import Memo
from estompe.evaluation.time.past import Past
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd
from estompe.falloffs.noise import Noise
from estompe.importing.footage import RestPose, close_all, opened
from estompe.importing.link import Reading
from estompe.output.painter import Painter, Settings
from estompe.samples import sample
from estompe.setups.shot import listed, with_shot
from estompe.shapes import primitives

_FRAMES, _POINTS = 48, 1_000_000
_REST = RestPose("", 1.0)


def figures() -> Iterator[Figure]:
    """All of them."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        yield from _reading(folder)
        yield from _overs(folder)
        yield from _pictures()
        yield from _farm(folder)
    close_all()


def _cache(path: Path, points: int, frames: int) -> Path:
    """A point cache: a grid whose points all move on every frame, among still things."""
    from pxr import Usd, UsdGeom, Vt

    grid = primitives.grid(10.0, 10.0, round(points**0.5) - 1, round(points**0.5) - 1)
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(24)
    stage.SetStartTimeCode(1)
    stage.SetEndTimeCode(frames)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/Set").GetPrim())
    mesh = UsdGeom.Mesh.Define(stage, "/Set/Cloth")
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.diff(grid.topology.offsets)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(grid.topology.corners))
    for frame in range(1, frames + 1):
        moved = grid.points.copy()
        moved[:, 1] = np.sin(moved[:, 0] + 0.1 * frame)
        mesh.CreatePointsAttr().Set(Vt.Vec3fArray.FromNumpy(moved), frame)
    for number in range(12):
        still = UsdGeom.Mesh.Define(stage, f"/Set/Rock_{number}")
        still.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(grid.points))
        still.CreateFaceVertexCountsAttr(mesh.GetFaceVertexCountsAttr().Get())
        still.CreateFaceVertexIndicesAttr(mesh.GetFaceVertexIndicesAttr().Get())
    stage.Save()
    return path


def _reading(folder: Path) -> Iterator[Figure]:
    from pxr import Usd, UsdGeom

    path = _cache(folder / "cache.usdc", _POINTS, _FRAMES)
    footage = opened(Reading(str(path), 1.0, 24.0))
    stage = Usd.Stage.Open(str(path))
    attribute = UsdGeom.Mesh.Get(stage, "/Set/Cloth").GetPointsAttr()
    ours, theirs = iter(range(2, 10_000)), iter(range(2, 10_000))
    footage.geometry("/Set/Cloth", 1, _REST)

    def mine() -> float:
        frame = 1 + next(ours) % _FRAMES
        return float(footage.geometry("/Set/Cloth", frame, _REST).points.sum())

    def alone() -> float:
        frame = 1 + next(theirs) % _FRAMES
        return float(np.array(attribute.Get(frame), np.float32).sum())

    cores.anyones()
    name = f"frames of an animated point cache, {_POINTS:,} points, one after the other, to the USD library alone"
    yield Figure(name, *_each(mine, alone, 0.0), 1.2, "within")
    name = "the same, with 30 ms of other work on each frame, as in a shot"
    yield Figure(name, *_each(mine, alone, 0.03), 1.2, "within")


def _each(mine: Task, theirs: Task, work: float) -> tuple[float, float]:
    """Milliseconds for a frame of each, in turn; what is done with it in between is not counted."""
    times: dict[Task, list[float]] = {mine: [], theirs: []}
    for _ in range(3):
        for task, taken in times.items():
            for _ in range(12):
                taken.append(milliseconds(task))
                busy = time.perf_counter() + work
                while time.perf_counter() < busy:
                    pass
    return statistics.median(times[mine]), statistics.median(times[theirs])


def _overs(folder: Path) -> Iterator[Figure]:
    path = _cache(folder / "set.usdc", 100_000, 12)
    project = with_shot(Project(Scene()), listed(path, Scene())).project
    patchy = Falloff("patchy", "Patchy", (Layer("grain", Noise(1.0, 0.4)),), Range(0.5, -0.5))
    slot = EffectSlot("lift", Move((0.0, 0.3, 0.0)), (Route("patchy"),))
    shapes = tuple(
        structs.replace(shape, effects=(slot,)) if shape.name == "Cloth" else shape for shape in project.scene.shapes
    )
    project = project.with_scene(structs.replace(project.scene, shapes=shapes, falloffs=(patchy,)))

    def over() -> None:
        write_over(project, 1, 12, folder / "over.usdc")

    def whole() -> None:
        usd.write(project, 1, 12, folder / "whole.usdc")

    mine, theirs = in_turn(over, whole, rounds=3)
    yield Figure(
        "an over of one mesh among thirteen, 12 frames, to the scene as a whole, time", mine, theirs, 1.0, "within"
    )
    sizes = [(folder / name).stat().st_size / 2**20 for name in ("over.usdc", "whole.usdc")]
    yield Figure("the same, size of the file", sizes[0], sizes[1], 1.0, "within", "MB")


def _pictures() -> Iterator[Figure]:
    project = sample("storm-crossing").build()
    past = Past(project, Memo())
    layers = ("depth", "normal", "id", "motion", "strength:Wash")
    size = (1280, 720)
    with (
        Painter(project, Settings(size, 4), past) as bare,
        Painter(project, Settings(size, 4, 0.0, layers), past) as full,
    ):
        bare.paint(30)
        full.paint(30)
        mine, theirs = in_turn(lambda: full.paint(30), lambda: bare.paint(30), rounds=5)
    yield Figure("a picture of 1280 x 720 with all layers, 4 samples, to colours alone", mine, theirs, 1.5, "within")
    with (
        Painter(project, Settings(size, 4), past) as bare,
        Painter(project, Settings(size, 4, 0.0, ("matte-shapes", "matte-elements")), past) as full,
    ):
        bare.paint(30)
        full.paint(30)
        mine, theirs = in_turn(lambda: full.paint(30), lambda: bare.paint(30), rounds=3)
    yield Figure("the same with mattes of shapes and of elements, to colours alone", mine, theirs, 6.0, "within")


def _farm(folder: Path) -> Iterator[Figure]:
    """Frames without memory, written by one process and by two; what the processes need to start is taken off.

    The first peer is one process, which uses the second core where it can. The second is what two cores can give at most: two
    commands at once, which write half of the frames each and join nothing.
    """
    cores.anyones()
    for scene, frames, out, words in (
        ("lantern-amphora", 59, "p.####.png", ("render", "--size", "1280x720", "--samples", "4")),
        ("glass-float", 300, "a.usdc", ("bake",)),
    ):
        file.save(sample(scene).build(), folder / f"{scene}.estompe")
        run = _Commands(folder, folder / f"{scene}.estompe", out, words)
        started, start = run.seconds([(1, 1)], ("--machines", "2")), run.seconds([(1, 1)])
        two, one = in_seconds(
            lambda run=run, frames=frames: run.seconds([(1, frames)], ("--machines", "2")),
            lambda run=run, frames=frames: run.seconds([(1, frames)]),
        )
        halves = run.seconds([(1, frames // 2), (frames // 2 + 1, frames)]) - start
        what = "pictures, 1280 x 720," if out.endswith("png") else "frames"
        name = f"{frames} {what} of {scene} by two processes ({started:.1f} s to start)"
        yield Figure(f"{name}, to one", two - started, one - start, 1.6, "at least", "s")
        yield Figure(
            "the same, to two commands that write half of them each", two - started, halves, 1.3, "within", "s"
        )


def in_seconds(mine: Callable[[], float], theirs: Callable[[], float], rounds: int = 3) -> tuple[float, float]:
    """The medians of two that time themselves, in turn."""
    found = [(mine(), theirs()) for _ in range(rounds)]
    return statistics.median(one for one, _ in found), statistics.median(other for _, other in found)


class _Commands:
    """Commands that write frames of a scene, some at the same time."""

    def __init__(self, folder: Path, scene: Path, out: str, words: tuple[str, ...]) -> None:
        self._folder, self._scene, self._out, self._words = folder, scene, out, words

    def seconds(self, ranges: list[tuple[int, int]], more: tuple[str, ...] = ()) -> float:
        """Seconds until all of them have ended, each with frames and a place of its own."""
        place = Path(tempfile.mkdtemp(dir=self._folder))
        verb, *rest = self._words
        began = time.perf_counter()
        running = []
        for number, (first, last) in enumerate(ranges):
            out = place / str(number) / self._out
            out.parent.mkdir()
            words = [sys.executable, "-m", "estompe.cli", verb, str(self._scene), "--frames", f"{first}-{last}"]
            running.append(subprocess.Popen([*words, "--out", str(out), *rest, *more], stdout=subprocess.DEVNULL))
        ended = [process.wait() for process in running]
        took = time.perf_counter() - began
        if any(ended):
            raise RuntimeError(f"{verb} of {self._scene.name} ended with {max(ended)}")
        shutil.rmtree(place)
        return took
