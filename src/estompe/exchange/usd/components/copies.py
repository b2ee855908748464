"""Copies over time as a point instancer: forms once, and for each copy where it stands, its colour and strengths."""

from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import driving
from estompe.document.names import clean_name
from estompe.document.scene import Color, Shape
from estompe.evaluation import Frame
from estompe.exchange.potential import potential_of
from estompe.exchange.usd.components.mesh import MeshWriter
from estompe.exchange.usd.components.writer import ComponentWriter, writes
from estompe.exchange.usd.samples import StrengthNames, TimeSamples, Velocities
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.geometry.transforms import quaternions
from estompe.kernels.types import Floats


@writes("copies")
class CopiesWriter(ComponentWriter):
    """Writes a shape's copies; ids and forms once, the rest where it changes. over: the prim is there, with its forms."""

    def __init__(self, stage: Any, name: str, path: str, over: bool = False) -> None:
        from pxr import UsdGeom

        self._stage, self._path, self._over = stage, path, over
        if over:
            self._instancer = UsdGeom.PointInstancer(stage.OverridePrim(path))
        else:
            self._instancer = UsdGeom.PointInstancer.Define(stage, path)
            self._instancer.GetPrim().SetDisplayName(clean_name(name))
        self._velocities = Velocities(self._instancer.CreateVelocitiesAttr(), stage.GetTimeCodesPerSecond())
        self._primvars = UsdGeom.PrimvarsAPI(self._instancer)
        self._samples = TimeSamples()
        self._forms: list[MeshWriter] = []
        self._names = StrengthNames()
        self._orientations: tuple[Floats, Floats, NDArray[np.float16]] | None = None

    def add_as(self, frame: Frame, shape: Shape, geometry: Geometry, number: float) -> None:
        from pxr import Vt

        made = self._instancer
        if geometry.component != "copies":
            self._add_nothing(number)
            return
        copies = cast(Copies, geometry)
        self._velocities.add(number, copies.positions, copies.ids)
        if not self._over:
            self._add_forms(copies, shape.color, number)
        changing = self._samples.changing
        steady, ids = self._samples.steady, Vt.Int64Array.FromNumpy
        attribute = made.CreateProtoIndicesAttr()
        steady("form", copies.form, lambda: Vt.IntArray.FromNumpy(copies.form), number, attribute)
        steady("ids", copies.ids, lambda: ids(copies.ids), number, made.CreateIdsAttr())
        changing("positions", copies.positions, number, made.CreatePositionsAttr(), Vt.Vec3fArray)
        changing("extent", np.stack(copies.bounds), number, made.CreateExtentAttr(), Vt.Vec3fArray)
        rotations, halves = self._rotations(copies.axes)
        changing("rotations", rotations, number, made.CreateOrientationsfAttr(), Vt.QuatfArray)
        # Programs that do not know the exact ones yet look for these.
        changing("halves", halves, number, made.CreateOrientationsAttr(), Vt.QuathArray)
        changing("scales", _mirrored(copies), number, made.CreateScalesAttr(), Vt.Vec3fArray)
        hidden = made.CreateInvisibleIdsAttr()
        steady("hidden", copies.shown, lambda: ids(copies.ids[~copies.shown]), number, hidden)
        self._add_primvars(frame, shape, copies, number)

    def finish(self) -> None:
        self._velocities.finish()

    def _add_nothing(self, number: float) -> None:
        """No copies on a frame where they could not be made."""
        from pxr import Vt

        none = np.zeros((0, 3), np.float32)
        self._samples.changing("positions", none, number, self._instancer.CreatePositionsAttr(), Vt.Vec3fArray)
        forms = np.zeros(0, np.int32)
        attribute = self._instancer.CreateProtoIndicesAttr()
        self._samples.steady("form", none, lambda: Vt.IntArray.FromNumpy(forms), number, attribute)

    def _add_forms(self, copies: Copies, color: Color, number: float) -> None:
        while len(self._forms) < len(copies.forms):
            path = f"{self._path}/Forms/form_{len(self._forms) + 1}"
            self._forms.append(MeshWriter(self._stage, f"form {len(self._forms) + 1}", path))
            self._instancer.GetPrototypesRel().AddTarget(path)
        for writer, form in zip(self._forms, copies.forms, strict=False):
            writer.add_mesh(form, color, number)

    def _rotations(self, axes: Floats) -> tuple[Floats, NDArray[np.float16]]:
        """Rotations as quaternions, exact and half as long, the same arrays for the same axes."""
        if self._orientations is None or self._orientations[0] is not axes:
            exact = quaternions(axes)
            self._orientations = axes, exact, exact.astype(np.float16)
        return self._orientations[1:]

    def _add_primvars(self, frame: Frame, shape: Shape, copies: Copies, number: float) -> None:
        from pxr import Sdf, UsdGeom, Vt

        color = colors_of(copies, shape)
        if color is not None:
            made = self._primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
            self._samples.changing("color", color, number, made.GetAttr(), Vt.Vec3fArray)
        for falloff, shown in driving(frame, shape):
            if shown.domain is not Domain.PIECE:
                continue
            made = self._primvars.CreatePrimvar(
                self._names.of(falloff), Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex
            )
            self._samples.changing(falloff.id, shown.strength, number, made.GetAttr(), Vt.FloatArray)


def colors_of(copies: Copies, shape: Shape) -> Floats | None:
    """The colours of copies, float32 (k, 3), the shape's own where an effect gives others on other frames; None for none."""
    color = copies.attribute(Domain.PIECE, "color")
    if color is None and potential_of(shape).has_colors:
        color = np.tile(np.array(shape.color, np.float32), (len(copies.positions), 1))
    return color


def _mirrored(copies: Copies) -> NDArray[np.float32]:
    """Scales, with the first negative where axes are mirrored: a rotation cannot say so."""
    determinants = np.linalg.det(copies.axes.reshape(-1, 3, 3).astype(np.float64))
    if (determinants > 0).all():
        return copies.scales
    made = copies.scales.copy()
    made[determinants < 0, 0] *= -1
    return made
