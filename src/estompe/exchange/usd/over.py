"""A USD layer over an original: it sublayers the stage that was imported and holds opinions on what was changed, and no more.

Points, normals, extents, strengths and visibility are said of the original's prims; what is no longer a mesh of that prim, and
what never was in the file, stands beside them as new prims. Materials, names and all that is not mentioned survive.
"""

import os
from collections.abc import Collection
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from estompe.baking.frames import frames
from estompe.document.project import Project
from estompe.document.scene import Scene, Shape
from estompe.evaluation import Frame
from estompe.evaluation.time.past import Past
from estompe.exchange.potential import potential_of
from estompe.exchange.usd.components.copies import CopiesWriter
from estompe.exchange.usd.components.mesh import MeshWriter
from estompe.exchange.usd.components.writer import ComponentWriter, hidden_forms, writer_for
from estompe.exchange.usd.instances import InstancesWriter
from estompe.exchange.usd.samples import identifier
from estompe.exchange.usd.saving import check_target, write_frames
from estompe.files.places import place_of
from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Geometry
from estompe.geometry.transforms import inverse
from estompe.importing.footage import Footage, opened
from estompe.importing.link import Reading
from estompe.importing.stage import Space
from estompe.kinds.context import CannotEvaluateError
from estompe.shapes.shot import ShotSource

_USD = (".usd", ".usda", ".usdc", ".usdz")


class Original(NamedTuple):
    """The file that is written over, open, and its space."""

    footage: Footage
    space: Space

    def placed(self, geometry: Geometry, prim: str, frame: float) -> Geometry:
        """A geometry of the scene's world in a prim's own space, in the file's units."""
        to_local = inverse(self.footage.matrix(prim, frame)[:3])
        return self.in_file(geometry.transformed(to_local))

    def in_file(self, geometry: Geometry) -> Geometry:
        """A geometry in the file's units and up axis."""
        return geometry.in_units(np.linalg.inv(self.space.linear))


def write_over(
    project: Project,
    first: int,
    last: int,
    path: Path,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    only: Collection[str] | None = None,
    per_frame: int = 1,
) -> None:
    """Bake frames to a layer over the file a scene was imported from, whole or not at all.

    only: ids of shapes; all if it is not given. per_frame: samples from each frame to the next. `progress` may raise to cancel.
    Raises ExchangeError.
    """
    check_target(project, path, first, last)
    original = _original(project.scene, only)

    def begin(stage: Any) -> _Writers:
        _describe(stage, original, path, first, last)
        return _Writers(stage, project.scene, original, only)

    write_frames(path, begin, frames(project, first, last, progress, past, per_frame), progress)


def stage_of(scene: Scene, only: Collection[str] | None = None) -> str:
    """The one USD file that shapes of the scene come from, by its name in the scene.

    only: ids of the shapes that count. Raises ExchangeError.
    """
    shapes = [shape for shape in scene.shapes if only is None or shape.id in only]
    written = sorted(shape.source.file for shape in shapes if isinstance(shape.source, ShotSource))
    files = {place_of(name): name for name in written}
    usd = [name for name in files.values() if Path(name).suffix.lower() in _USD]
    if not usd:
        raise ExchangeError("there is no USD stage to write over: import a shot first, or export the scene as a whole")
    if len(usd) > 1:
        names = ", ".join(Path(name).name for name in usd)
        raise ExchangeError(
            f"its shapes come from several stages ({names}): export those of one with --only, or the whole"
        )
    return usd[0]


def sublayer(file: str, path: Path) -> str:
    """How a layer at a path names the file that it goes over."""
    relative = os.path.relpath(os.path.realpath(file), os.path.realpath(path.parent))
    return relative if relative.startswith(".") else f"./{relative}"


def _original(scene: Scene, only: Collection[str] | None) -> Original:
    """The file that is written over, open. Raises ExchangeError."""
    try:
        footage = opened(Reading.of(stage_of(scene, only), scene))
    except CannotEvaluateError as error:
        raise ExchangeError(str(error)) from None
    return Original(footage, Space(footage.scale, footage.about.up == "Y"))


def _describe(stage: Any, original: Original, path: Path, first: int, last: int) -> None:
    """What a root layer must say again, since nothing of it is taken from sublayers."""
    from pxr import UsdGeom

    about = original.footage.about
    stage.GetRootLayer().subLayerPaths.append(sublayer(original.footage.reading.file, path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y if about.up == "Y" else UsdGeom.Tokens.z)
    if about.metres_per_unit is not None:
        UsdGeom.SetStageMetersPerUnit(stage, about.metres_per_unit)
    stage.SetTimeCodesPerSecond(about.rate)
    stage.SetFramesPerSecond(about.rate)
    codes = original.footage.code(first), original.footage.code(last)
    # An over of a part of the shot leaves the rest of it there.
    stage.SetStartTimeCode(codes[0] if about.first is None else min(codes[0], about.first))
    stage.SetEndTimeCode(codes[1] if about.last is None else max(codes[1], about.last))
    if about.default_prim:
        stage.GetRootLayer().defaultPrim = about.default_prim


class _Writers:
    """One writer for each shape that differs from the original."""

    def __init__(self, stage: Any, scene: Scene, original: Original, only: Collection[str] | None) -> None:
        self._stage, self._original, self._only = stage, original, only
        self._writers: dict[str, ComponentWriter] = {}
        self._taken: set[str] = set()
        self._forms = hidden_forms(scene)

    def add(self, frame: Frame) -> int:
        """Write a frame; returns about how many bytes that were."""
        size = 0
        for shape in frame.scene.shapes:
            if (self._only is None or shape.id in self._only) and shape.id not in self._forms:
                size += self._add(frame, shape)
        return size

    def finish(self) -> None:
        """Write what waited for the frame after it."""
        for writer in self._writers.values():
            writer.finish()

    def _add(self, frame: Frame, shape: Shape) -> int:
        source = self._source(shape)
        if source is not None and not shape.visible:
            self._hide(source)
        if not shape.visible or (source is not None and not any(slot.enabled for slot in shape.effects)):
            return 0
        geometry, code = frame[shape.id], self._original.footage.code(frame.number)
        if source is not None and _same_sort(shape, geometry, source):
            made = self._brought(geometry, source, frame.number)
            self._over(frame, shape, source).add_as(frame, shape, made, code)
        else:
            if source is not None:
                self._hide(source)
            self._new(shape, geometry).add_as(frame, shape, self._original.in_file(geometry), code)
        return geometry.bytes_per_frame

    def _source(self, shape: Shape) -> ShotSource | None:
        """What a shape is in the original, if it is from there."""
        source = shape.source
        mine = isinstance(source, ShotSource) and place_of(source.file) == self._original.footage.reading.file
        return source if mine and isinstance(source, ShotSource) else None

    def _members(self, source: ShotSource) -> tuple[str, ...]:
        return self._original.footage.entry(source.prim).members

    def _brought(self, geometry: Geometry, source: ShotSource, number: float) -> Geometry:
        """A geometry as its prim's points are said; instances, whose prims have other parents each, in the file's world."""
        if self._members(source):
            return self._original.in_file(geometry)
        return self._original.placed(geometry, source.prim, number)

    def _over(self, frame: Frame, shape: Shape, source: ShotSource) -> ComponentWriter:
        """The writer of opinions on a prim of the original."""
        if shape.id not in self._writers:
            if self._members(source):
                self._writers[shape.id] = InstancesWriter(self._stage, self._members(source))
            elif source.makes_copies:
                self._writers[shape.id] = CopiesWriter(self._stage, shape.name, source.prim, over=True)
            else:
                before = frame.states_of(shape.id)[0]
                writer = MeshWriter(self._stage, shape.name, source.prim, over=before)
                if self._original.footage.entry(source.prim).skinned:
                    writer.unbind()
                self._writers[shape.id] = writer
        made = self._writers[shape.id]
        if isinstance(made, MeshWriter):
            made.original = frame.states_of(shape.id)[0]
        return made

    def _new(self, shape: Shape, geometry: Geometry) -> ComponentWriter:
        """The writer of a prim that is not in the original."""
        key = f"{shape.id} beside"
        if key not in self._writers:
            path = f"{self._home()}/{identifier(shape.name, self._taken)}"
            self._writers[key] = writer_for(shape, geometry)(self._stage, shape.name, path)
        return self._writers[key]

    def _home(self) -> str:
        """Where new prims stand: below the default prim, so that they come along, and free of its transform."""
        from pxr import UsdGeom

        default = self._original.footage.about.default_prim
        path = f"/{default}/Added" if default else "/Added"
        if not self._stage.GetPrimAtPath(path):
            made = UsdGeom.Xform.Define(self._stage, path)
            made.SetResetXformStack(True)
            if default:
                self._stage.GetPrimAtPath(f"/{default}").SetSpecifier(_over_specifier())
        return path

    def _hide(self, source: ShotSource) -> None:
        from pxr import UsdGeom

        for prim in self._members(source) or (source.prim,):
            made = self._stage.OverridePrim(prim)
            UsdGeom.Imageable(made).CreateVisibilityAttr().Set(UsdGeom.Tokens.invisible)


def _over_specifier() -> Any:
    from pxr import Sdf

    return Sdf.SpecifierOver


def _same_sort(shape: Shape, geometry: Geometry, source: ShotSource) -> bool:
    """Whether what comes out can be said of the prim it came from, on every frame."""
    if source.makes_copies:
        return potential_of(shape).stays_copies
    return geometry.component == "mesh"
