"""Animated files in and out: reading a cache, overs against whole scenes, pictures with layers, and two processes against one."""

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from msgspec import structs

from bench.figures import Figure, in_turn
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.move import Move
from estompe.evaluate import Memo
from estompe.evaluate.past import Past
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd
from estompe.falloffs.noise import Noise
from estompe.farm.run import run
from estompe.geometry import primitives
from estompe.importing.footage import Reading, RestPose, close_all, opened
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

    mine_ms, alone_ms = in_turn(mine, alone)
    name = f"a frame of an animated point cache, {_POINTS:,} points, summed up, to the USD library alone"
    yield Figure(name, mine_ms, alone_ms, 1.2, "within")


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
    project = sample("moon-swell").build(1.5)
    first, last = 1, 96
    began = time.perf_counter()
    run(project, first, first, folder / "start.usdc", "scene", "2")
    starting = time.perf_counter() - began
    began = time.perf_counter()
    run(project, first, last, folder / "two.usdc", "scene", "2")
    two = time.perf_counter() - began - starting
    began = time.perf_counter()
    usd.write(project, first, last, folder / "one.usdc")
    one = time.perf_counter() - began
    name = (
        f"96 frames without memory by two processes, to one (both may use both cores); starting took {starting:.1f} s"
    )
    return Figure(name, two, one, 1.6, "at least", "s")
