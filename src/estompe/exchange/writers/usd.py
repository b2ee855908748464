"""Animated USD: points over time with normals, UVs, colours, each falloff's strength as a primvar, and the camera."""

from collections.abc import Collection
from pathlib import Path
from typing import Any

from estompe.baking.frames import frames
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluation import Frame
from estompe.evaluation.time.past import Past
from estompe.exchange.formats import SceneWriter, register_scene_writer
from estompe.exchange.usd.components.writer import ComponentWriter, hidden_forms, writer_for
from estompe.exchange.usd.placed import CameraWriter, ControlWriter
from estompe.exchange.usd.samples import identifier
from estompe.exchange.usd.saving import ENDINGS, check_target, write_frames
from estompe.files.progress import Progress


def write(
    project: Project,
    first: int,
    last: int,
    path: Path,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    only: Collection[str] | None = None,
    per_frame: int = 1,
) -> None:
    """Bake frames to a USD scene, whole or not at all.

    only: ids of shapes; all if it is not given. per_frame: samples from each frame to the next. `progress` may raise to cancel.
    Raises ExchangeError.
    """
    check_target(project, path, first, last)

    def begin(stage: Any) -> _Writers:
        _describe(stage, project.scene, first, last)
        return _Writers(stage, project.scene, only)

    write_frames(path, begin, frames(project, first, last, progress, past, per_frame), progress)


def _describe(stage: Any, scene: Scene, first: int, last: int) -> None:
    from pxr import UsdGeom

    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, scene.metres_per_unit)
    stage.SetTimeCodesPerSecond(scene.frames_per_second)
    stage.SetFramesPerSecond(scene.frames_per_second)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/World").GetPrim())


class _Writers:
    """One writer per shape, and the scene's cameras and controls, under names that USD allows and that differ."""

    def __init__(self, stage: Any, scene: Scene, only: Collection[str] | None) -> None:
        taken: set[str] = {"Cameras", "Controls"}
        self._stage, self._only = stage, only
        self._cameras = [CameraWriter(stage, f"/World/{identifier('Camera', taken)}")]
        self._paths = {shape.id: f"/World/{identifier(shape.name, taken)}" for shape in scene.shapes}
        self._writers: dict[str, ComponentWriter] = {}
        self._forms = hidden_forms(scene)
        for camera in scene.other_cameras:
            self._cameras.append(CameraWriter(stage, f"/World/Cameras/{identifier(camera.name, taken)}"))
        self._controls = {
            control.id: ControlWriter(stage, control, f"/World/Controls/{identifier(control.name, taken)}")
            for control in scene.controls
        }

    def add(self, frame: Frame) -> int:
        """Write a frame; returns about how many bytes that were."""
        size = 0
        for shape in frame.scene.shapes:
            if shape.id in self._forms or (self._only is not None and shape.id not in self._only):
                continue
            geometry = frame[shape.id]
            if shape.id not in self._writers:
                self._writers[shape.id] = writer_for(shape, geometry)(self._stage, shape.name, self._paths[shape.id])
            self._writers[shape.id].add(frame, shape)
            size += geometry.bytes_per_frame
        for writer, camera in zip(self._cameras, (frame.scene.camera, *frame.scene.other_cameras), strict=True):
            writer.add(camera, frame.number)
        for control in frame.scene.controls:
            self._controls[control.id].add(control, frame.number)
        return size

    def finish(self) -> None:
        """Write what waited for the frame after it."""
        for writer in self._writers.values():
            writer.finish()


register_scene_writer(SceneWriter("usd", "USD", ENDINGS, write))
