"""What the USD library has to say about a file, and whether the arrays of each frame agree."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from pxr import Usd, UsdGeom


def failed_checks(path: Path) -> list[str]:
    """What the format's own validator has to say."""
    from pxr import UsdValidation

    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    errors = context.Validate(Usd.Stage.Open(str(path)))
    return [error.GetErrorAsString() for error in errors]


def wrong_counts(path: Path) -> list[str]:
    """Arrays of meshes, instancers and curves whose lengths do not fit what they belong to, on any whole frame."""
    stage = Usd.Stage.Open(str(path))
    frames = range(int(stage.GetStartTimeCode()), int(stage.GetEndTimeCode()) + 1)
    found = []
    for frame in frames:
        for prim in stage.Traverse():
            found += [f"{prim.GetPath()} frame {frame}: {text}" for text in _of(prim, frame)]
    return found


def _of(prim: Usd.Prim, frame: int) -> Iterator[str]:
    if prim.IsA(UsdGeom.Mesh):
        yield from _of_mesh(UsdGeom.Mesh(prim), frame)
    elif prim.IsA(UsdGeom.PointInstancer):
        yield from _of_copies(UsdGeom.PointInstancer(prim), frame)
    elif prim.IsA(UsdGeom.BasisCurves):
        curves = UsdGeom.BasisCurves(prim)
        points, counts = len(curves.GetPointsAttr().Get(frame)), list(curves.GetCurveVertexCountsAttr().Get(frame))
        if sum(counts) != points:
            yield f"{sum(counts)} vertices for {points} points"
        sizes = {"constant": 1, "vertex": points, "varying": points, "uniform": len(counts)}
        yield from _of_primvars(prim, frame, sizes)


def _of_mesh(mesh: UsdGeom.Mesh, frame: int) -> Iterator[str]:
    points = len(mesh.GetPointsAttr().Get(frame))
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get(frame))
    indices = np.array(mesh.GetFaceVertexIndicesAttr().Get(frame))
    if counts.sum() != len(indices):
        yield f"{counts.sum()} corners by counts, {len(indices)} by indices"
    if len(indices) and indices.max() >= points:
        yield f"corner names point {indices.max()} of {points}"
    sizes = {"constant": 1, "vertex": points, "varying": points, "uniform": len(counts), "faceVarying": len(indices)}
    normals = mesh.GetNormalsAttr().Get(frame)
    if normals is not None and len(normals) != sizes[mesh.GetNormalsInterpolation()]:
        yield f"{len(normals)} normals {mesh.GetNormalsInterpolation()}"
    yield from _of_primvars(mesh.GetPrim(), frame, sizes)
    for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh):
        members = np.array(subset.GetIndicesAttr().Get(frame))
        if len(members) and members.max() >= len(counts):
            yield f"{subset.GetPath().name} names face {members.max()} of {len(counts)}"


def _of_copies(instancer: UsdGeom.PointInstancer, frame: int) -> Iterator[str]:
    count = len(instancer.GetProtoIndicesAttr().Get(frame))
    for attribute in (
        instancer.GetPositionsAttr(),
        instancer.GetOrientationsAttr(),
        instancer.GetScalesAttr(),
        instancer.GetIdsAttr(),
        instancer.GetVelocitiesAttr(),
    ):
        values = attribute.Get(frame)
        if values is not None and len(values) != count:
            yield f"{len(values)} {attribute.GetName()} for {count} copies"
    yield from _of_primvars(instancer.GetPrim(), frame, {"constant": 1, "vertex": count, "varying": count})


def _of_primvars(prim: Usd.Prim, frame: int, sizes: dict[str, int]) -> Iterator[str]:
    for primvar in UsdGeom.PrimvarsAPI(prim).GetPrimvarsWithValues():
        values, how = primvar.Get(frame), primvar.GetInterpolation()
        if how not in sizes or len(values) != sizes[how]:
            yield f"{len(values)} {primvar.GetName()} {how}, not {sizes.get(how)}"
