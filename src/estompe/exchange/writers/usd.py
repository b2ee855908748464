"""Animated USD: points over time with normals, UVs, colours, each falloff's strength as a primvar, and the camera."""

import math
import os
import shutil
from pathlib import Path
from typing import Any

import numpy as np

from estompe.document.atomic import written_whole
from estompe.document.names import clean_name
from estompe.document.numbers import plain, plain_triple
from estompe.document.project import Project
from estompe.document.scene import Camera, Falloff, Scene, Shape
from estompe.evaluate import Frame
from estompe.exchange.bake import check_folder, check_frames, frames, strengths
from estompe.exchange.errors import ExchangeError, Progress
from estompe.exchange.formats import SceneWriter, register_scene_writer
from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats

ENDINGS = (".usdc", ".usda", ".usd")
# Bytes of samples after which they are written to the disk, and what counts as a full one.
_MOST_PENDING, _LITTLE = 512 * 2**20, 2**20
_FILM_HEIGHT = 24.0  # millimetres; only its relation to the focal length matters


def write(
    project: Project, first: int, last: int, path: Path, progress: Progress = lambda _fraction, _text: None
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
            for frame in frames(project, first, last, progress):
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
        self._meshes = {shape.id: _MeshWriter(stage, shape, _identifier(shape.name, taken)) for shape in scene.shapes}
        self._camera = UsdGeom.Camera.Define(stage, "/World/Camera")
        self._matrix = self._camera.AddTransformOp()

    def add(self, frame: Frame) -> None:
        for shape in frame.scene.shapes:
            self._meshes[shape.id].add(frame, shape)
            self.pending += 2 * frame[shape.id].points.nbytes
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


def _identifier(name: str, taken: set[str]) -> str:
    from pxr import Tf

    stem = Tf.MakeValidIdentifier(name)
    found, number = stem, 2
    while found in taken:
        found, number = f"{stem}_{number}", number + 1
    taken.add(found)
    return str(found)


class _MeshWriter:
    """Writes a shape's mesh; what stays the same from frame to frame is written once."""

    def __init__(self, stage: Any, shape: Shape, name: str) -> None:
        from pxr import UsdGeom

        self._mesh = UsdGeom.Mesh.Define(stage, f"/World/{name}")
        self._mesh.GetPrim().SetDisplayName(clean_name(shape.name))
        self._taken: set[str] = set()
        self._names: dict[str, str] = {}
        self._started = False
        self._last: dict[str, tuple[Any, float, float]] = {}
        self._held: dict[str, tuple[Any, Any, float, float]] = {}
        self._primvars = UsdGeom.PrimvarsAPI(self._mesh)

    def add(self, frame: Frame, shape: Shape) -> None:
        """Write a shape's mesh on a frame."""
        from pxr import Vt

        geometry = frame[shape.id]
        if not self._started:
            self._start(geometry)
        number = frame.number
        self._add_faces(geometry, number)
        self._add_color(geometry, shape, number)
        if self._changing("points", geometry.points, number, self._mesh.GetPointsAttr(), Vt.Vec3fArray):
            low, high = geometry.bounds
            self._mesh.GetExtentAttr().Set(Vt.Vec3fArray.FromNumpy(np.stack([low, high])), number)
        self._changing("normals", geometry.normals, number, self._mesh.GetNormalsAttr(), Vt.Vec3fArray)
        for falloff, values in strengths(frame, shape):
            self._add_strength(falloff, values, number)

    def _start(self, geometry: Geometry) -> None:
        from pxr import UsdGeom, Vt

        self._started = True
        mesh = self._mesh
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        mesh.CreatePointsAttr()
        mesh.CreateNormalsAttr()
        mesh.CreateExtentAttr()
        mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        for (domain, name), members in geometry.attributes.items():
            if domain is Domain.FACE and members.dtype == np.bool_:
                where = Vt.IntArray.FromNumpy(np.flatnonzero(members).astype(np.int32))
                UsdGeom.Subset.CreateUniqueGeomSubset(self._mesh, _identifier(name, set()), UsdGeom.Tokens.face, where)

    def _add_faces(self, geometry: Geometry, number: float) -> None:
        """What mostly stays: faces and UVs. It is written once, and over time only where an effect changes it."""
        from pxr import Sdf, UsdGeom, Vt

        topology, mesh = geometry.topology, self._mesh
        counts = Vt.IntArray.FromNumpy(np.diff(topology.offsets))
        self._steady("counts", topology, counts, number, mesh.GetFaceVertexCountsAttr())
        indices = Vt.IntArray.FromNumpy(topology.corners)
        self._steady("indices", topology, indices, number, mesh.GetFaceVertexIndicesAttr())
        for domain, kind in ((Domain.CORNER, UsdGeom.Tokens.faceVarying), (Domain.POINT, UsdGeom.Tokens.vertex)):
            uv = geometry.attribute(domain, "uv")
            if uv is not None:
                made = self._primvars.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, kind)
                values = Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(uv, np.float32))
                self._steady("st", uv, values, number, made.GetAttr())
                break

    def _add_color(self, geometry: Geometry, shape: Shape, number: float) -> None:
        from pxr import Sdf, UsdGeom, Vt

        color = geometry.attribute(Domain.POINT, "color")
        interpolation = UsdGeom.Tokens.constant if color is None else UsdGeom.Tokens.vertex
        made = self._primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, interpolation)
        plain = np.array([shape.color], np.float32) if color is None else np.ascontiguousarray(color[:, :3], np.float32)
        owner = shape.color if color is None else color
        self._steady("displayColor", owner, Vt.Vec3fArray.FromNumpy(plain), number, made.GetAttr())

    def _add_strength(self, falloff: Falloff, values: Floats, number: float) -> None:
        from pxr import Sdf, UsdGeom, Vt

        name = falloff.id
        if name not in self._names:
            self._names[name] = _identifier(f"strength_{falloff.name}", self._taken)
        primvar = self._primvars.CreatePrimvar(self._names[name], Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex)
        self._changing(name, values, number, primvar.GetAttr(), Vt.FloatArray)

    def _changing(self, key: str, array: Floats, number: float, attribute: Any, kind: Any) -> bool:
        """Set a time sample unless the array is the one before; True if it was set.

        Elements are blended in between, so the last frame of a standstill is set too once the array changes.
        """
        before = self._last.get(key)
        if before is not None and before[0] is array:
            self._last[key] = (array, before[1], number)
            return False
        if before is not None and before[2] > before[1]:
            attribute.Set(kind.FromNumpy(before[0]), before[2])
        self._last[key] = (array, number, number)
        attribute.Set(kind.FromNumpy(array), number)
        return True

    def _steady(self, key: str, owner: Any, values: Any, number: float, attribute: Any) -> None:
        """Set values that mostly stay: without a time at first, and as time samples from the first change on.

        owner: what tells whether they changed, by identity.
        """
        if key not in self._held:
            attribute.Set(values)
            self._held[key] = (owner, values, number, number)
            return
        before, held, since, until = self._held[key]
        if before is owner:
            self._held[key] = (before, held, since, number)
            return
        for frame in {since, until}:
            attribute.Set(held, frame)
        attribute.Set(values, number)
        self._held[key] = (owner, values, number, number)


register_scene_writer(SceneWriter("usd", "USD", ENDINGS, write))
