"""Animated files in and out: reading a cache, overs against whole scenes, pictures with layers, and two processes against one."""

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from msgspec import structs

from bench import cores
from bench.figures import Figure, Task, in_turn, milliseconds
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.move import Move
from estompe.evaluate import Memo
from estompe.evaluate.past import Past
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd
from estompe.falloffs.noise import Noise
from estompe.geometry import primitives
from estompe.importing.footage import RestPose, close_all, opened
from estompe.importing.link import Reading
from estompe.output.painter import Painter, Settings
from estompe.samples import sample
from estompe.setups.shot import listed, with_shot

_FRAMES, _POINTS = 48, 1_000_000
_REST = RestPose("", 1.0)


def figures() -> Iterator[Figure]:
    """All of them."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        yield from _reading(folder)
        yield from _overs(folder)
        yield _pictures()
        yield _farm(folder)
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


def _pictures() -> Figure:
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
    return Figure("a picture of 1280 x 720 with all layers, 4 samples, to colours alone", mine, theirs, 1.5, "within")


def _farm(folder: Path) -> Figure:
    """Frames without memory, written by one process and by two; what the processes need to start is taken off."""
    cores.anyones()
    file.save(sample("moon-swell").build(1.5), folder / "moon.estompe")
    times = {}
    for name, words in (("one", ()), ("two", ("--machines", "2"))):
        for last in (1, 96):
            times[name, last] = _command(folder, f"{name}-{last}.usdc", last, words)
    one, two = (times[name, 96] - times[name, 1] for name in ("one", "two"))
    started = times["two", 1]
    name = (
        f"95 frames without memory by two processes, to one (which uses both cores, too); starting took {started:.1f} s"
    )
    return Figure(name, two, one, 1.6, "at least", "s")


def _command(folder: Path, target: str, last: int, words: tuple[str, ...]) -> float:
    """Seconds that a bake takes as a command."""
    command = [sys.executable, "-m", "estompe.cli", "bake", str(folder / "moon.estompe"), "--frames", f"1-{last}"]
    began = time.perf_counter()
    subprocess.run([*command, "--out", str(folder / target), *words], check=True, capture_output=True)
    return time.perf_counter() - began
