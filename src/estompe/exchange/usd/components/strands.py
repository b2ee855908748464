"""Strands over time as curves with widths, colours and strengths."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import strengths
from estompe.document.names import clean_name
from estompe.document.scene import Shape
from estompe.evaluation import Frame
from estompe.exchange.usd.components.writer import ComponentWriter, writes
from estompe.exchange.usd.samples import StrengthNames, TimeSamples
from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats


@writes("strands")
class CurvesWriter(ComponentWriter):
    """Writes the lines of a shape; what they are drawn as follows from their widths."""

    def __init__(self, stage: Any, name: str, path: str) -> None:
        from pxr import UsdGeom

        self._curves = UsdGeom.BasisCurves.Define(stage, path)
        self._curves.GetPrim().SetDisplayName(clean_name(name))
        self._curves.CreateTypeAttr(UsdGeom.Tokens.linear)
        self._primvars = UsdGeom.PrimvarsAPI(self._curves)
        self._samples = TimeSamples()
        self._names = StrengthNames()

    def add_as(self, frame: Frame, shape: Shape, geometry: Geometry, number: float) -> None:
        from pxr import UsdGeom, Vt

        made = self._curves
        members, counts = _lines(geometry)
        attribute = made.CreateCurveVertexCountsAttr()
        self._samples.steady("counts", geometry.topology, lambda: counts, number, attribute)
        points = np.ascontiguousarray(geometry.points[members])
        self._samples.changing("points", points, number, made.CreatePointsAttr(), Vt.Vec3fArray)
        width = geometry.attribute(Domain.POINT, "width")
        extent = _extent(points, None if width is None else width[members])
        self._samples.changing("extent", extent, number, made.CreateExtentAttr(), Vt.Vec3fArray)
        if width is not None:
            self._samples.changing(
                "width", np.ascontiguousarray(width[members]), number, made.CreateWidthsAttr(), Vt.FloatArray
            )
            made.SetWidthsInterpolation(UsdGeom.Tokens.vertex)
        self._add_primvars(frame, shape, geometry, members, number)

    def _add_primvars(
        self, frame: Frame, shape: Shape, geometry: Geometry, members: NDArray[np.int32], number: float
    ) -> None:
        from pxr import Sdf, UsdGeom, Vt

        color = geometry.attribute(Domain.POINT, "color")
        how = UsdGeom.Tokens.constant if color is None else UsdGeom.Tokens.vertex
        made = self._primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, how)
        plain = np.array([shape.color], np.float32) if color is None else np.ascontiguousarray(color[members, :3])
        self._samples.changing("color", plain, number, made.GetAttr(), Vt.Vec3fArray)
        for falloff, values in strengths(frame, shape):
            made = self._primvars.CreatePrimvar(
                self._names.of(falloff), Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex
            )
            own = np.ascontiguousarray(values[members])
            self._samples.changing(falloff.id, own, number, made.GetAttr(), Vt.FloatArray)


def _extent(points: Floats, widths: Floats | None) -> Floats:
    """The box around curves, float32 (2, 3): as the format has it, around their points by half the largest width."""
    if not len(points):
        return np.zeros((2, 3), np.float32)
    around = np.float32(0.0 if widths is None else widths.max() / 2)
    return np.stack([points.min(axis=0) - around, points.max(axis=0) + around])


def _lines(geometry: Geometry) -> tuple[NDArray[np.int32], Any]:
    """The point of each vertex of the lines, and how many vertices each has."""
    from pxr import Vt

    lines = geometry.topology.lines
    if lines is None:
        return np.zeros(0, np.int32), Vt.IntArray()
    return lines.points, Vt.IntArray.FromNumpy(np.diff(lines.offsets))
