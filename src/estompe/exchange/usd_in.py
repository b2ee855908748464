"""USD in: every mesh of a scene, placed, as one."""

from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Tf, Usd, UsdGeom

from estompe.exchange.errors import ExchangeError, Tell
from estompe.exchange.parts import MOST_GROUPS, Arrays, Part, joined
from estompe.geometry import Domain, Geometry

_DOMAINS = {"vertex": Domain.POINT, "varying": Domain.POINT, "faceVarying": Domain.CORNER, "uniform": Domain.FACE}
_UPRIGHT = Gf.Matrix4d(Gf.Rotation(Gf.Vec3d(1, 0, 0), -90), Gf.Vec3d(0))


def read(path: Path, tell: Tell) -> Geometry:
    """The meshes of a USD file at its first time as one mesh with Y up; each becomes a face group. Raises ExchangeError."""
    tell(0.0, "opening the scene")
    try:
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException:
        stage = None
    if stage is None:
        raise ExchangeError("damaged or not a USD file")
    time = Usd.TimeCode(stage.GetStartTimeCode()) if stage.HasAuthoredTimeCodeRange() else Usd.TimeCode.Default()
    upright = _UPRIGHT if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else Gf.Matrix4d(1)
    prims = [prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    cache = UsdGeom.XformCache(time)
    parts = []
    for number, prim in enumerate(prims):
        tell(number / len(prims), f"reading {prim.GetName()}")
        part = _part(UsdGeom.Mesh(prim), cache.GetLocalToWorldTransform(prim) * upright, time)
        if part is not None:
            parts.append(part)
    return joined(parts)


def _part(mesh: Any, matrix: Any, time: Any) -> Part | None:
    points, counts = mesh.GetPointsAttr().Get(time), mesh.GetFaceVertexCountsAttr().Get(time)
    indices = mesh.GetFaceVertexIndicesAttr().Get(time)
    if not points or not counts or not indices:
        return None
    linear = np.array(matrix)
    placed = np.asarray(points) @ linear[:3, :3] + linear[3, :3]
    sizes = np.asarray(counts, np.int64)
    if (sizes < 0).any() or sizes.sum() != len(indices):
        raise ExchangeError(f"the faces of “{mesh.GetPrim().GetName()}” do not match its corners")
    attributes = _primvars(mesh, time, len(placed), len(indices), len(sizes))
    attributes.update(_subsets(mesh, len(sizes)))
    return Part(mesh.GetPrim().GetName(), placed, np.asarray(indices, np.int64), sizes, attributes)


def _primvars(mesh: Any, time: Any, points: int, corners: int, faces: int) -> Arrays:
    counts = {Domain.POINT: points, Domain.CORNER: corners, Domain.FACE: faces}
    found: Arrays = {}
    for primvar in UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues():
        domain = _DOMAINS.get(primvar.GetInterpolation())
        values = np.asarray(primvar.ComputeFlattened(time))
        if domain is None or values.dtype.kind not in "fiub" or len(values) != counts[domain]:
            continue
        name = {"displayColor": "color", "st": "uv"}.get(primvar.GetPrimvarName(), primvar.GetPrimvarName())
        found[domain, name] = values.astype(np.float32) if values.dtype.kind == "f" else values
    return found


def _subsets(mesh: Any, faces: int) -> Arrays:
    found: Arrays = {}
    for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh)[:MOST_GROUPS]:
        members = np.asarray(subset.GetIndicesAttr().Get() or [], np.int64)
        group = np.zeros(faces, np.bool_)
        group[members[(members >= 0) & (members < faces)]] = True
        found[Domain.FACE, subset.GetPrim().GetName()] = group
    return found
