"""What a mesh of a USD stage has beside its points: faces, primvars and subsets; values that do not change are read once."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError
from estompe.geometry.shading import AUTHORED, has_hard_edges
from estompe.geometry.topology import Topology
from estompe.importing.stage import Split
from estompe.importing.usd_prims import first_uv

_DOMAINS = {"vertex": "point", "varying": "point", "faceVarying": "corner", "uniform": "face"}
_NAMES = {"displayColor": "color"}
NORMALS = "normals"
"""A primvar that is no attribute: it takes the place of the mesh's own normals."""
_MOST_SUBSETS = 256


class _Primvar(NamedTuple):
    """A primvar: the name its values go by, or what is said because they cannot be used."""

    label: str
    values: NDArray[Any] | None
    note: str = ""


class Faces:
    """The faces of a mesh at a time code, and what is on them.

    Raises ExchangeError for sizes and corners that do not fit each other.
    """

    def __init__(self, mesh: Any, time: float, points: int, moves: bool) -> None:
        from pxr import UsdGeom

        counts, indices = mesh.GetFaceVertexCountsAttr().Get(time), mesh.GetFaceVertexIndicesAttr().Get(time)
        if counts is None or indices is None:
            raise ExchangeError("it has no points or faces there")
        self._mesh, self._moves = mesh, moves
        self._sizes, self._corners = np.asarray(counts, np.int32), np.asarray(indices, np.int32)
        if (self._sizes < 0).any() or int(self._sizes.sum()) != len(self._corners):
            named = len(self._corners)
            raise ExchangeError(f"its faces have {int(self._sizes.sum()):,} corners and {named:,} are named")
        self._lowest = int(self._corners.min()) if len(self._corners) else 0
        self._highest = int(self._corners.max()) if len(self._corners) else -1
        self._points = points
        flipped = mesh.GetOrientationAttr().Get(time) == UsdGeom.Tokens.leftHanded
        self._order = _reversed_order(self._sizes) if flipped else None
        if self._order is not None:
            self._corners = self._corners[self._order]
        self._subsets = _subsets(mesh, len(self._sizes))
        self._normals = self._hard_normals(time)
        self._steady: dict[str, _Primvar | None] = {}
        self._uv = ""

    def put(self, split: Split, time: float, points: int) -> list[str]:
        """Put all of it into what is told of a frame that has so many points; returns the notes.

        Raises ExchangeError for corners that name no point.
        """
        if self._lowest < 0 or self._highest >= points:
            raise ExchangeError(f"a face names a point that does not exist: there are {points:,} points")
        if points != self._points:
            self._points = points
            self._steady.clear()
        split.put("corners", self._corners, self._moves)
        split.put("sizes", self._sizes, self._moves)
        if self._normals is not None:
            split.put(f"corner {AUTHORED}", self._normals, self._moves)
        notes = self._put_primvars(split, time)
        for name, group in self._subsets:
            split.put(f"face {name}", group, False)
        return notes

    def _hard_normals(self, time: float) -> NDArray[np.float32] | None:
        """The normals at the corners, where they tell hard edges."""
        made = corner_normals(self._mesh, time, self._sizes)
        if made is None or self._lowest < 0 or self._highest >= self._points:
            return None
        if self._order is not None:
            made = made[self._order]
        offsets = np.concatenate([[0], np.cumsum(self._sizes)]).astype(np.int32)
        return made if has_hard_edges(Topology(self._corners, offsets, self._points), made) else None

    def _put_primvars(self, split: Split, time: float) -> list[str]:
        from pxr import UsdGeom

        notes = []
        primvars = UsdGeom.PrimvarsAPI(self._mesh.GetPrim()).FindPrimvarsWithInheritance()
        self._uv = first_uv(primvars)
        for primvar in primvars:
            name, moves = str(primvar.GetPrimvarName()), primvar.ValueMightBeTimeVarying()
            if name == NORMALS:
                continue
            if moves or name not in self._steady:
                self._steady[name] = self._primvar(primvar, name, time)
            found = self._steady[name]
            if found is not None and found.values is not None:
                split.put(found.label, found.values, moves)
            elif found is not None:
                notes.append(found.note)
        return notes

    def _primvar(self, primvar: Any, name: str, time: float) -> _Primvar | None:
        domain = _DOMAINS.get(primvar.GetInterpolation())
        if domain is None or not primvar.HasValue() or name.startswith("skel:"):
            return None
        values: NDArray[Any] = np.asarray(primvar.ComputeFlattened(time))
        if values.dtype.kind not in "fiub" or values.ndim not in (1, 2):
            return None
        expected = {"point": self._points, "corner": len(self._corners), "face": len(self._sizes)}[domain]
        label = f"{domain} {'uv' if name == self._uv else _NAMES.get(name, name)}"
        if len(values) != expected:
            note = f"the primvar {name} has {len(values):,} values for {expected:,} and was left out"
            return _Primvar(label, None, note)
        values = values.astype(np.float32) if values.dtype.kind == "f" else values
        return _Primvar(label, values[self._order] if domain == "corner" and self._order is not None else values)


def corner_normals(mesh: Any, time: Any, sizes: NDArray[Any]) -> NDArray[np.float32] | None:
    """A polygon mesh's own normals at its corners, float32 (corners, 3); None where it has one a point, or none.

    sizes: corners of each face. A subdivision surface defines its normals itself, so what stands there does not count
    (UsdGeomMesh).
    """
    from pxr import UsdGeom

    if mesh.GetSubdivisionSchemeAttr().Get() != UsdGeom.Tokens.none:
        return None
    primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar(NORMALS)
    own = bool(primvar) and primvar.HasValue()
    found = primvar.ComputeFlattened(time) if own else mesh.GetNormalsAttr().Get(time)
    how = primvar.GetInterpolation() if own else mesh.GetNormalsInterpolation()
    values: NDArray[Any] = np.asarray(found if found is not None else [], np.float32)
    if how == UsdGeom.Tokens.uniform and len(values) == len(sizes):
        values = np.repeat(values, sizes, axis=0)
    elif how != UsdGeom.Tokens.faceVarying:
        return None
    fits = values.shape == (int(sizes.sum()), 3) and np.isfinite(values).all()
    return values.astype(np.float32) if fits else None


def _reversed_order(sizes: NDArray[Any]) -> NDArray[np.int64]:
    """Which corner comes where once each face goes round the other way."""
    ends = np.cumsum(sizes.astype(np.int64))
    order: NDArray[np.int64] = np.repeat(ends - 1 + ends - sizes, sizes) - np.arange(int(sizes.sum()))
    return order


def _subsets(mesh: Any, faces: int) -> list[tuple[str, NDArray[np.bool_]]]:
    from pxr import UsdGeom

    found = []
    for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh)[:_MOST_SUBSETS]:
        members = np.asarray(subset.GetIndicesAttr().Get() or [], np.int64)
        group = np.zeros(faces, np.bool_)
        group[members[(members >= 0) & (members < faces)]] = True
        found.append((str(subset.GetPrim().GetName()), group))
    return found
