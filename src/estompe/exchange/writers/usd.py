"""Animated USD: points over time with normals, UVs, colours, each falloff's strength as a primvar, and the camera."""

import math
import os
import shutil
from pathlib import Path
from typing import Any

from estompe.document.atomic import written_whole
from estompe.document.numbers import plain, plain_triple
from estompe.document.project import Project
from estompe.document.scene import Camera, Scene
from estompe.evaluate import Frame
from estompe.evaluate.past import Past
from estompe.exchange.bake import check_folder, check_frames, frames
from estompe.exchange.formats import SceneWriter, register_scene_writer
from estompe.exchange.usd.copies import CopiesWriter
from estompe.exchange.usd.curves import CurvesWriter
from estompe.exchange.usd.mesh import MeshWriter
from estompe.exchange.usd.samples import identifier
from estompe.geometry import Geometry
from estompe.geometry.copies import Copies
from estompe.importing.errors import ExchangeError, Progress

ENDINGS = (".usdc", ".usda", ".usd")
# Bytes of samples after which they are written to the disk, and what counts as a full one.
_MOST_PENDING, _LITTLE = 512 * 2**20, 2**20
_FILM_HEIGHT = 24.0  # millimetres; only its relation to the focal length matters


def write(
    project: Project,
    first: int,
    last: int,
    path: Path,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
) -> None:
    """Bake frames to a USD scene, whole or not at all. `progress` may raise to cancel. Raises ExchangeError."""
    from pxr import Tf, Usd

    if path.suffix.lower() not in ENDINGS:
        raise ExchangeError(f"{path}: a USD scene ends in {' or '.join(ENDINGS)}")
    check_frames(first, last)
    check_folder(path)
    try:
        with written_whole(path) as part:
            part.unlink()  # the library makes the file itself, and will not take over one that stands there
            stage = Usd.Stage.CreateNew(str(part))
            _describe(stage, project.scene, first, last)
            writers = _Writers(stage, project.scene)
            for frame in frames(project, first, last, progress, past):
                writers.add(frame)
                if writers.pending > _MOST_PENDING and part.suffix != ".usda":
                    # What is saved need not be held; text would be written again from the start each time.
                    stage.Save()
                    writers.pending = 0
            progress(1.0, "saving")
            stage.Save()
            stage = None
    except (OSError, Tf.ErrorException) as error:
        raise ExchangeError(f"{path}: cannot be written ({_reason(error, path)})") from None
    except MemoryError:
        raise ExchangeError(f"{path}: a frame does not fit in memory") from None


def _reason(error: Exception, path: Path) -> str:
    if isinstance(error, OSError) and error.errno:
        return os.strerror(error.errno)
    return "the disk is full" if shutil.disk_usage(path.parent).free < _LITTLE else "the folder cannot be written"


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
    """One writer per shape and one for the camera, under names that USD allows and that differ."""

    def __init__(self, stage: Any, scene: Scene) -> None:
        from pxr import UsdGeom

        taken: set[str] = {"Camera"}
        self.pending = 0
        self._stage, self._scene = stage, scene
        self._paths = {shape.id: f"/World/{identifier(shape.name, taken)}" for shape in scene.shapes}
        self._writers: dict[str, MeshWriter | CopiesWriter | CurvesWriter] = {}
        self._forms = _hidden_forms(scene)
        self._camera = UsdGeom.Camera.Define(stage, "/World/Camera")
        self._matrix = self._camera.AddTransformOp()

    def add(self, frame: Frame) -> None:
        for shape in frame.scene.shapes:
            if shape.id in self._forms:
                continue
            geometry = frame[shape.id]
            if shape.id not in self._writers:
                self._writers[shape.id] = _kind(geometry)(self._stage, shape.name, self._paths[shape.id])
            self._writers[shape.id].add(frame, shape)
            size = 64 * len(geometry.positions) if isinstance(geometry, Copies) else 2 * geometry.points.nbytes
            self.pending += size
        self._add_camera(frame.scene.camera, frame.number)

    def _add_camera(self, camera: Camera, number: float) -> None:
        from pxr import Gf

        view = Gf.Matrix4d(1).SetLookAt(
            Gf.Vec3d(*plain_triple(camera.position)), Gf.Vec3d(*plain_triple(camera.target)), Gf.Vec3d(0, 1, 0)
        )
        self._matrix.Set(view.GetInverse(), number)
        angle = math.radians(plain(camera.view_angle))
        self._camera.CreateVerticalApertureAttr(_FILM_HEIGHT)
        self._camera.CreateHorizontalApertureAttr(_FILM_HEIGHT * 16 / 9)
        self._camera.CreateFocalLengthAttr().Set(_FILM_HEIGHT / 2 / math.tan(angle / 2), number)


def _kind(geometry: Geometry) -> type[MeshWriter | CopiesWriter | CurvesWriter]:
    """What writes a shape, by what it is on its first frame."""
    if isinstance(geometry, Copies):
        return CopiesWriter
    return CurvesWriter if geometry.topology.lines is not None else MeshWriter


def _hidden_forms(scene: Scene) -> set[str]:
    """Shapes that are seen as copies only: they are prototypes there, and no meshes of their own."""
    copied = {name for shape in scene.shapes if shape.source.makes_pieces
              for name in (getattr(shape.source, "form", ""), *getattr(shape.source, "more", ()))}  # fmt: skip
    return {shape.id for shape in scene.shapes if shape.id in copied and not shape.visible}


register_scene_writer(SceneWriter("usd", "USD", ENDINGS, write))
