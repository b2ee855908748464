"""Native instances over time, in a layer over the original: each instance's own prim says where it is, and what inherits down."""

from collections.abc import Sequence
from functools import partial
from typing import Any, cast

import numpy as np

from estompe.baking.frames import driving
from estompe.document.scene import Shape
from estompe.evaluation import Frame
from estompe.exchange.usd.components.copies import colors_of
from estompe.exchange.usd.components.writer import ComponentWriter
from estompe.exchange.usd.samples import StrengthNames, TimeSamples
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies


class InstancesWriter(ComponentWriter):
    """Writes opinions on the prims of instances, which stay instances. members: their paths, in the order of the copies' ids."""

    def __init__(self, stage: Any, members: Sequence[str]) -> None:
        self._prims = [stage.OverridePrim(path) for path in members]
        self._samples = TimeSamples()
        self._names = StrengthNames()
        self._places: list[Any] = []

    def add_as(self, frame: Frame, shape: Shape, geometry: Geometry, number: float) -> None:
        from pxr import Gf, UsdGeom

        copies = cast(Copies, geometry)
        if not self._places:
            self._places = [_place_of(prim) for prim in self._prims]
        matrices = _matrices(copies)
        cache = UsdGeom.XformCache(number)
        for row, index in enumerate(copies.ids.tolist()):
            prim, above = self._prims[index], cache.GetParentToWorldTransform(self._prims[index])
            local = Gf.Matrix4d(matrices[row].T.tolist()) * above.GetInverse()
            self._samples.follow(f"{index} place", local, number, self._places[index])
            seen = UsdGeom.Tokens.inherited if copies.shown[row] else UsdGeom.Tokens.invisible
            attribute = UsdGeom.Imageable(prim).CreateVisibilityAttr()
            self._samples.steady(f"{index} visible", seen, partial(str, seen), number, attribute)
        self._add_values(frame, shape, copies, number)

    def _add_values(self, frame: Frame, shape: Shape, copies: Copies, number: float) -> None:
        """Colours and strengths, one for each instance."""
        from pxr import Gf, Sdf, Vt

        color = colors_of(copies, shape)
        if color is not None:
            for row, index in enumerate(copies.ids.tolist()):
                value = Vt.Vec3fArray([Gf.Vec3f(*color[row, :3].tolist())])
                self._say(index, "displayColor", Sdf.ValueTypeNames.Color3fArray, value, number)
        for falloff, shown in driving(frame, shape):
            if shown.domain is not Domain.PIECE:
                continue
            name = self._names.of(falloff)
            for row, index in enumerate(copies.ids.tolist()):
                self._say(index, name, Sdf.ValueTypeNames.Float, float(shown.strength[row]), number)

    def _say(self, index: int, name: str, kind: Any, value: Any, number: float) -> None:
        from pxr import UsdGeom

        primvar = UsdGeom.PrimvarsAPI(self._prims[index]).CreatePrimvar(name, kind, UsdGeom.Tokens.constant)
        self._samples.follow(f"{index} {name}", value, number, primvar.GetAttr())


def _place_of(prim: Any) -> Any:
    """The attribute that says where a prim is from its parent, the only one of them that counts from now on."""
    from pxr import UsdGeom

    formed = UsdGeom.Xformable(prim)
    made = formed.AddTransformOp(UsdGeom.XformOp.PrecisionDouble, "effects")
    formed.SetXformOpOrder([made], formed.GetResetXformStack())
    return made.GetAttr()


def _matrices(copies: Copies) -> np.ndarray[Any, np.dtype[np.float64]]:
    """Each copy's space to the world, float64 (k, 4, 4), columns."""
    made = np.tile(np.eye(4), (len(copies.positions), 1, 1))
    made[:, :3, :3] = copies.linear.reshape(-1, 3, 3)
    made[:, :3, 3] = copies.positions
    return made
