"""USD: every mesh of a scene, placed, as one."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import MOST_REAL_POINTS
from estompe.geometry.shading import AUTHORED
from estompe.importing.formats import Reader, register_reader
from estompe.importing.merging import MOST_GROUPS, Arrays, Part, merged, repeated, turned_over
from estompe.importing.usd_faces import NORMALS, corner_normals
from estompe.importing.usd_prims import SOLIDS, first_uv, solid_of, why_hidden

_DOMAINS = {"vertex": Domain.POINT, "varying": Domain.POINT, "faceVarying": Domain.CORNER, "uniform": Domain.FACE}


def read(path: Path, progress: Progress, metres_per_unit: float) -> Geometry:
    """The meshes of a USD file at its first time as one mesh with Y up, in scene units; each becomes a face group.

    Instances are read, those of point instancers laid together by their forms. Raises ExchangeError.
    """
    from pxr import Gf, Tf, Usd, UsdGeom

    progress(0.0, "opening the scene")
    try:
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException:
        stage = None
    if stage is None:
        raise ExchangeError("damaged or not a USD file")
    ranged = stage.HasAuthoredTimeCodeRange()
    time = Usd.TimeCode(stage.GetStartTimeCode()) if ranged else Usd.TimeCode.EarliestTime()
    upright = Gf.Matrix4d(1)
    if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z:
        upright = Gf.Matrix4d(Gf.Rotation(Gf.Vec3d(1, 0, 0), -90), Gf.Vec3d(0))
    unit = UsdGeom.GetStageMetersPerUnit(stage) if UsdGeom.StageHasAuthoredMetersPerUnit(stage) else metres_per_unit
    prims, instancers, hidden = _meshes(stage, time)
    cache = UsdGeom.XformCache(time)
    parts = []
    notes = [f"{hidden} prims that are invisible, or for proxies and guides, were left out"] if hidden else []
    for number, prim in enumerate(prims):
        progress(number / len(prims), f"reading {prim.GetName()}")
        matrix = cache.GetLocalToWorldTransform(prim) * upright
        part = (
            _solid_part(prim, matrix, time) if prim.GetTypeName() in SOLIDS else _part(UsdGeom.Mesh(prim), matrix, time)
        )
        if part is not None:
            parts.append(part)
    for instancer in instancers:
        made, words = _instanced(UsdGeom.PointInstancer(instancer), cache, upright, time)
        parts += made
        notes += words
    return merged([part._replace(points=part.points * (unit / metres_per_unit)) for part in parts], tuple(notes))


def _meshes(stage: Any, time: Any) -> tuple[list[Any], list[Any], int]:
    """The prims that are meshes and seen, those inside instances too, the point instancers, and how many are not seen."""
    from pxr import Usd, UsdGeom

    found, instancers, hidden = [], [], 0
    walk = iter(Usd.PrimRange.Stage(stage, Usd.TraverseInstanceProxies()))
    for prim in walk:
        is_mesh = prim.IsA(UsdGeom.Mesh) or prim.GetTypeName() in SOLIDS
        if (is_mesh or prim.IsA(UsdGeom.PointInstancer)) and why_hidden(prim, time):
            hidden += 1
            walk.PruneChildren()
        elif prim.IsA(UsdGeom.PointInstancer):
            instancers.append(prim)
            walk.PruneChildren()  # what is below are its prototypes
        elif is_mesh:
            found.append(prim)
    return found, instancers, hidden


def _solid_part(prim: Any, matrix: Any, time: Any) -> Part:
    """A prim that is only named by its sizes, as a part."""
    solid, linear = solid_of(prim, time), np.array(matrix)
    placed = solid.points @ linear[:3, :3] + linear[3, :3]
    part = Part(clean_name(prim.GetName()), placed, solid.corners.astype(np.int64), solid.sizes.astype(np.int64), {})
    return turned_over(part) if np.linalg.det(linear[:3, :3]) < 0 else part


def _instanced(instancer: Any, cache: Any, upright: Any, time: Any) -> tuple[list[Part], list[str]]:
    """The copies of a point instancer, all of one form as one part, and what a person should know."""
    from pxr import Usd, UsdGeom

    name = clean_name(instancer.GetPrim().GetName())
    forms = np.asarray(instancer.GetProtoIndicesAttr().Get(time) or [], np.int64)
    if not len(forms):
        return [], [f"the point instancer “{name}” has no copies"]
    # The form's own transform counts, and hidden copies do not.
    matrices = instancer.ComputeInstanceTransformsAtTime(
        time, time, UsdGeom.PointInstancer.IncludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
    )
    if matrices is None or len(matrices) != len(forms):
        raise ExchangeError(f"the point instancer “{name}” has other numbers of positions and forms")
    shown = np.asarray(instancer.ComputeMaskAtTime(time) or np.ones(len(forms)), np.bool_)
    placed = np.array(matrices, np.float64).reshape(-1, 4, 4) @ np.array(
        cache.GetLocalToWorldTransform(instancer.GetPrim()) * upright
    )
    parts: list[Part] = []
    total = 0
    for number, path in enumerate(instancer.GetPrototypesRel().GetForwardedTargets()):
        root = instancer.GetPrim().GetStage().GetPrimAtPath(path)
        chosen = placed[(forms == number) & shown]
        for prim in Usd.PrimRange(root) if root and len(chosen) else ():
            if not prim.IsA(UsdGeom.Mesh):
                continue
            own = cache.ComputeRelativeTransform(prim, root)[0]
            part = _part(UsdGeom.Mesh(prim), own, time)
            if part is None:
                continue
            total += len(part.points) * len(chosen)
            if total > MOST_REAL_POINTS:
                raise ExchangeError(
                    f"the copies of “{name}” have more than {MOST_REAL_POINTS:,} points together: import fewer of them"
                )
            parts.append(repeated(part, chosen, f"{name} {part.name}"))
    return parts, [f"the {int(shown.sum()):,} copies of “{name}” became one mesh"]


def _part(mesh: Any, matrix: Any, time: Any) -> Part | None:
    from pxr import UsdGeom

    points, counts = mesh.GetPointsAttr().Get(time), mesh.GetFaceVertexCountsAttr().Get(time)
    indices = mesh.GetFaceVertexIndicesAttr().Get(time)
    if not points or not counts or not indices:
        return None
    name = clean_name(mesh.GetPrim().GetName())
    linear = np.array(matrix)
    placed = np.asarray(points) @ linear[:3, :3] + linear[3, :3]
    sizes = np.asarray(counts, np.int64)
    if (sizes < 0).any() or sizes.sum() != len(indices):
        raise ExchangeError(f"the faces of “{name}” do not match its corners")
    attributes = _primvars(mesh, time, len(placed), len(indices), len(sizes))
    normals = corner_normals(mesh, time, sizes)
    if normals is not None:
        attributes[Domain.CORNER, AUTHORED] = normals
    attributes.update(_subsets(mesh, len(sizes)))
    part = Part(name, placed, np.asarray(indices, np.int64), sizes, attributes)
    left_handed = mesh.GetOrientationAttr().Get(time) == UsdGeom.Tokens.leftHanded
    mirrored = bool(np.linalg.det(linear[:3, :3]) < 0)
    return turned_over(part) if left_handed != mirrored else part


def _primvars(mesh: Any, time: Any, points: int, corners: int, faces: int) -> Arrays:
    from pxr import UsdGeom

    counts = {Domain.POINT: points, Domain.CORNER: corners, Domain.FACE: faces}
    found: Arrays = {}
    primvars = UsdGeom.PrimvarsAPI(mesh).GetPrimvarsWithValues()
    uv = first_uv(primvars)
    for primvar in primvars:
        domain = _DOMAINS.get(primvar.GetInterpolation())
        values: NDArray[Any] = np.asarray(primvar.ComputeFlattened(time))
        if (
            domain is None
            or primvar.GetPrimvarName() == NORMALS
            or values.dtype.kind not in "fiub"
            or values.ndim not in (1, 2)
            or len(values) != counts[domain]
        ):
            continue
        name = str(primvar.GetPrimvarName())
        name = "uv" if name == uv else {"displayColor": "color"}.get(name, name)
        found[domain, name] = values.astype(np.float32) if values.dtype.kind == "f" else values
    return found


def _subsets(mesh: Any, faces: int) -> Arrays:
    from pxr import UsdGeom

    found: Arrays = {}
    for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh)[:MOST_GROUPS]:
        members = np.asarray(subset.GetIndicesAttr().Get() or [], np.int64)
        group = np.zeros(faces, np.bool_)
        group[members[(members >= 0) & (members < faces)]] = True
        found[Domain.FACE, subset.GetPrim().GetName()] = group
    return found


register_reader(Reader("USD", (".usd", ".usda", ".usdc", ".usdz"), read))
