"""USD: meshes, skinned ones too, point instancers, native instances, cameras and transforms, at any time code.

In between time samples values are interpolated as the library does it (linear; held where their length differs).
"""

import math
import re
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.files.progress import ExchangeError
from estompe.geometry.shading import AUTHORED, with_normals
from estompe.importing.stage import MOST_ENTRIES, About, Arrays, Entry, Lens, Sampled, Space, Split, register_stage
from estompe.importing.usd_faces import Faces
from estompe.importing.usd_prims import SOLIDS, is_invisible, sizes_vary, solid_of, visibility_varies, why_hidden
from estompe.importing.usd_skins import Skins

# Prims that only group others or describe looks: the tree leaves them out.
_SILENT = ("Scope", "Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "BlendShape", "RenderSettings",
           "RenderProduct", "RenderVar", "Skeleton")  # fmt: skip
_NONE = np.zeros(0, np.int32)
_APERTURE = 0.1
"""What one unit of a camera's apertures is in the units of the scene (OpenUSD, UsdGeomCamera)."""
_PARSED = re.compile(r":(\d+):(\d+): parse error")


class UsdStage:
    """A USD stage, its layers and payloads loaded."""

    def __init__(self, path: Path) -> None:
        from pxr import Sdf, Tf, Usd, UsdGeom

        self._path = path
        try:
            self._stage = Usd.Stage.Open(str(path))
        except Tf.ErrorException as error:
            raise ExchangeError(f"damaged, encrypted or not a USD file ({_reason(error)})") from None
        if self._stage is None:
            raise ExchangeError("damaged, encrypted or not a USD file")
        self._missing = _missing_layers(self._stage, Sdf)
        self._xforms: dict[float, Any] = {}
        self._faces: dict[str, Faces] = {}
        self._skins = Skins(self._stage)
        self._upright = UsdGeom.GetStageUpAxis(self._stage) != UsdGeom.Tokens.z
        self._instances: dict[str, list[Any]] = {}
        self._varying: dict[str, tuple[str, ...]] = {}

    def about(self) -> About:
        from pxr import UsdGeom

        stage = self._stage
        entries, unread = self._entries()
        notes = [f"the layer {name} it refers to is not there" for name in self._missing]
        if unread:
            told = ", ".join(unread[:6]) + (f" and {len(unread) - 6} more" if len(unread) > 6 else "")
            notes.append(f"not imported, of kinds that cannot be used: {told}")
        if not any(entry.kind in ("mesh", "copies") for entry in entries):
            notes.append("there is no mesh in it")
        rate = stage.GetTimeCodesPerSecond()
        ranged = stage.HasAuthoredTimeCodeRange()
        metres = UsdGeom.GetStageMetersPerUnit(stage) if UsdGeom.StageHasAuthoredMetersPerUnit(stage) else None
        files = tuple(sorted({layer.realPath for layer in stage.GetUsedLayers() if layer.realPath} | {str(self._path)}))
        return About(
            tuple(entries), stage.GetStartTimeCode() if ranged else None, stage.GetEndTimeCode() if ranged else None,
            rate, "Y" if self._upright else "Z", metres, rate, files, tuple(notes),
            stage.GetDefaultPrim().GetName() if stage.GetDefaultPrim() else "",
        )  # fmt: skip

    def _entries(self) -> tuple[list[Entry], list[str]]:
        from pxr import Usd, UsdGeom

        entries: list[Entry] = []
        unread: list[str] = []
        firsts: dict[str, str] = {}
        walk = iter(Usd.PrimRange.Stage(self._stage, Usd.TraverseInstanceProxies()))
        for prim in walk:
            if len(entries) >= MOST_ENTRIES:
                raise ExchangeError(f"it has more than {MOST_ENTRIES:,} prims: import a part of it")
            path = str(prim.GetPath())
            if prim.IsA(UsdGeom.PointInstancer):
                entries.append(self._instancer_entry(prim))
                walk.PruneChildren()  # what is below are its prototypes
            elif prim.IsInstance():
                first = firsts.setdefault(str(prim.GetPrototype().GetPath()), path)
                self._instances.setdefault(first, []).append(prim)
                if first == path:
                    entries.append(Entry(path, "copies", 1, False))
                walk.PruneChildren()
            elif prim.IsA(UsdGeom.Mesh):
                entries.append(self._mesh_entry(prim))
            elif prim.IsA(UsdGeom.Camera):
                entries.append(Entry(path, "camera", 0, self._placed_over_time(prim)))
            elif prim.GetTypeName() in _SILENT:
                continue
            elif prim.GetTypeName() in SOLIDS:
                entries.append(self._solid_entry(prim))
            elif prim.IsA(UsdGeom.Gprim):
                unread.append(f"{path} ({prim.GetTypeName()})")
                entries.append(Entry(path, "other", note=f"a {prim.GetTypeName()} cannot be used"))
            elif prim.IsA(UsdGeom.Xformable):
                entries.append(Entry(path, "transform", 0, self._placed_over_time(prim)))
            elif prim.GetTypeName():
                unread.append(f"{path} ({prim.GetTypeName()})")
        return [self._told_hidden(self._with_instances(entry)) for entry in entries], unread

    def _told_hidden(self, entry: Entry) -> Entry:
        """The entry with why it is not meant for pictures; one that is seen at some time is."""
        if entry.kind not in ("mesh", "copies"):
            return entry
        from pxr import Usd

        prim = self._prim(entry.path)
        why = why_hidden(prim, Usd.TimeCode.EarliestTime())
        if not why or (why.startswith("invisible") and visibility_varies(prim)):
            return entry
        return structs.replace(entry, hidden=True, note=f"{entry.note}; {why}" if entry.note else why)

    def _solid_entry(self, prim: Any) -> Entry:
        from pxr import Usd

        varies = ("points",) if sizes_vary(prim) else ()
        if visibility_varies(prim):
            varies = (*varies, "topology")
        count = len(solid_of(prim, Usd.TimeCode.EarliestTime()).points)
        words = f"a {prim.GetTypeName()}, made of faces"
        return Entry(str(prim.GetPath()), "mesh", count, bool(varies), words, varies, color=_whole_color(prim))

    def _with_instances(self, entry: Entry) -> Entry:
        group = self._instances.get(entry.path)
        if group is None:
            return entry
        moves = any(self._placed_over_time(prim) for prim in group)
        members = tuple(str(prim.GetPath()) for prim in group)
        note = f"{len(group)} instances"
        return Entry(entry.path, "copies", len(group), moves, note, (), group[0].GetName(), members=members)

    def _instancer_entry(self, prim: Any) -> Entry:
        from pxr import Usd, UsdGeom

        made = UsdGeom.PointInstancer(prim)
        count = len(made.GetProtoIndicesAttr().Get(Usd.TimeCode.EarliestTime()) or [])
        own = (made.GetPositionsAttr(), made.GetOrientationsAttr(), made.GetScalesAttr(), made.GetProtoIndicesAttr(),
               made.GetInvisibleIdsAttr(), made.GetOrientationsfAttr())  # fmt: skip
        moves = any(attribute.ValueMightBeTimeVarying() for attribute in own)
        return Entry(str(prim.GetPath()), "copies", count, moves, "" if count else "it has no copies")

    def _mesh_entry(self, prim: Any) -> Entry:
        from pxr import Usd, UsdGeom

        mesh = UsdGeom.Mesh(prim)
        points = mesh.GetPointsAttr().Get(Usd.TimeCode.EarliestTime())
        counts = mesh.GetFaceVertexCountsAttr().Get(Usd.TimeCode.EarliestTime())
        note = "" if points and counts else "it has no faces"
        varies = self._varies(prim)
        color, skinned = _whole_color(prim), self._skins.bound(prim)
        path, count = str(prim.GetPath()), len(points or ())
        return Entry(path, "mesh", count, bool(varies), note, varies, color=color, skinned=skinned)

    def _varies(self, prim: Any) -> tuple[str, ...]:
        """What of a mesh changes over time."""
        from pxr import UsdGeom

        path = str(prim.GetPath())
        if path not in self._varying:
            mesh, found = UsdGeom.Mesh(prim), []
            if mesh.GetPointsAttr().ValueMightBeTimeVarying() or self._skins.moves(prim):
                found.append("points")
            faces = (mesh.GetFaceVertexCountsAttr(), mesh.GetFaceVertexIndicesAttr())
            if any(attribute.ValueMightBeTimeVarying() for attribute in faces) or visibility_varies(prim):
                found.append("topology")
            if any(item.ValueMightBeTimeVarying() for item in UsdGeom.PrimvarsAPI(prim).FindPrimvarsWithInheritance()):
                found.append("attributes")
            self._varying[path] = tuple(found)
        return self._varying[path]

    def _placed_over_time(self, prim: Any) -> bool:
        """Whether a prim's transform, or one above it, changes over time."""
        from pxr import UsdGeom

        while prim and not prim.IsPseudoRoot():
            placed = UsdGeom.Xformable(prim)
            if placed and placed.TransformMightBeTimeVarying():
                return True
            if placed and placed.GetResetXformStack():
                return False
            prim = prim.GetParent()
        return False

    def sampled(self, path: str, time: float, space: Space) -> Sampled:
        from pxr import UsdGeom

        prim = self._prim(path)
        if path in self._instances or prim.IsInstance():
            return self._native(path, time, space)
        if prim.IsA(UsdGeom.PointInstancer):
            return self._instanced(prim, time, space)
        if prim.GetTypeName() in SOLIDS:
            return self._solid(prim, time, space)
        return self._mesh(prim, time, space)

    def _solid(self, prim: Any, time: float, space: Space) -> Sampled:
        """A prim that is only named by its sizes, as a mesh."""
        solid, split, moves = solid_of(prim, time), Split(), visibility_varies(prim)
        split.put("points", space.points(solid.points), sizes_vary(prim))
        unseen = moves and is_invisible(prim, time)
        split.put("corners", _NONE if unseen else solid.corners, moves)
        split.put("sizes", _NONE if unseen else solid.sizes, moves)
        return Sampled(split.still, split.moving)

    def _mesh(self, prim: Any, time: float, space: Space) -> Sampled:
        from pxr import UsdGeom

        mesh = UsdGeom.Mesh(prim)
        points = self._skins.points(prim, time, self._cache(time))
        if points is None:
            points = mesh.GetPointsAttr().Get(time)
        if points is None or not len(points):
            raise ExchangeError("it has no points or faces there")
        split = Split()
        split.put("points", space.points(np.asarray(points)), "points" in self._varies(prim))
        if visibility_varies(prim) and is_invisible(prim, time):
            # It has its points all the time, so that what follows it stays, and faces while it is seen.
            split.put("corners", _NONE, True)
            split.put("sizes", _NONE, True)
            return Sampled(split.still, split.moving)
        notes = self._faces_of(prim, mesh, time, len(points)).put(split, time, len(points))
        return Sampled(split.still, split.moving, tuple(notes))

    def _faces_of(self, prim: Any, mesh: Any, time: float, points: int) -> Faces:
        """What a mesh has beside its points; kept where only something else of it changes over time."""
        path, varying = str(prim.GetPath()), self._varies(prim)
        if path in self._faces:
            return self._faces[path]
        made = Faces(mesh, time, points, "topology" in varying)
        if varying and "topology" not in varying:
            self._faces[path] = made
        return made

    # Copies

    def _instanced(self, prim: Any, time: float, space: Space) -> Sampled:
        from pxr import Usd, UsdGeom

        made = UsdGeom.PointInstancer(prim)
        indices = np.asarray(made.GetProtoIndicesAttr().Get(time) or [], np.int64)
        if not len(indices):
            raise ExchangeError("it has no copies there")
        # The form's own transform is in the form; hidden copies are told apart, not left out.
        matrices = made.ComputeInstanceTransformsAtTime(
            time, time, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        if matrices is None or len(matrices) != len(indices):
            raise ExchangeError(f"it has {len(indices):,} forms and other numbers of positions, rotations or scales")
        split = Split()
        targets = made.GetPrototypesRel().GetForwardedTargets()
        for number, target in enumerate(targets):
            root = self._stage.GetPrimAtPath(target)
            self._form(number, root, [root, *list(Usd.PrimRange(root))[1:]] if root else [], True, time, space, split)
        moves = self._instancer_entry(prim).moves
        ids = made.GetIdsAttr().Get(time)
        numbers = np.asarray(ids, np.int64) if ids and len(ids) == len(indices) else np.arange(len(indices))
        mask = made.ComputeMaskAtTime(time)
        shown = np.asarray(mask, np.bool_) if mask else np.ones(len(indices), np.bool_)
        if (indices < 0).any() or (indices >= max(1, len(targets))).any():
            raise ExchangeError(f"a copy names a form that does not exist: there are {len(targets)}")
        _laid(np.array(matrices, np.float64).reshape(-1, 4, 4).transpose(0, 2, 1), space, split, moves)
        for name, values in (("form", indices.astype(np.int32)), ("ids", numbers), ("shown", shown)):
            split.put(name, values, moves)
        self._copies_color(prim, time, len(indices), split)
        return Sampled(split.still, split.moving)

    def _copies_color(self, prim: Any, time: float, count: int, split: Split) -> None:
        from pxr import UsdGeom

        color = UsdGeom.PrimvarsAPI(prim).GetPrimvar("displayColor")
        if color and color.HasValue() and color.GetInterpolation() in ("vertex", "varying", "uniform"):
            values = np.asarray(color.ComputeFlattened(time), np.float32)
            if values.shape == (count, 3):
                split.put("piece color", values, color.ValueMightBeTimeVarying())

    def _native(self, path: str, time: float, space: Space) -> Sampled:
        from pxr import Usd

        if not self._instances:
            self._entries()
        group = self._instances.get(path)
        if group is None:
            raise ExchangeError("it is not the first of its instances any more: import it again")
        split = Split()
        first = group[0]
        below = list(Usd.PrimRange(first, Usd.TraverseInstanceProxies()))
        self._form(0, first, below, False, time, space, split)
        cache = self._cache(time)
        world = np.array([np.array(cache.GetLocalToWorldTransform(prim)) for prim in group]).transpose(0, 2, 1)
        # They are laid out as seen from the first one, whose place the shape follows.
        home = np.linalg.inv(np.array(cache.GetLocalToWorldTransform(first)).T)
        moves = any(self._placed_over_time(prim) for prim in group)
        _laid(home @ world, space, split, moves)
        count = len(group)
        for name, values in (
            ("form", np.zeros(count, np.int32)),
            ("ids", np.arange(count)),
            ("shown", np.ones(count, np.bool_)),
        ):
            split.put(name, values, moves)
        return Sampled(split.still, split.moving)

    def _form(
        self, number: int, root: Any, prims: list[Any], placed: bool, time: float, space: Space, split: Split
    ) -> None:
        """The meshes of a prototype as one form, in the prototype's space; placed: its own transform counts too."""
        from pxr import UsdGeom

        cache = self._cache(time)
        points, corners, sizes = [], [], []
        found: list[Arrays] = []
        start = 0
        for prim in prims:
            if not prim.IsA(UsdGeom.Mesh):
                continue
            own = self._mesh(prim, time, Space(1.0, True))
            arrays = {**own.still, **own.moving}
            matrix = np.array(cache.ComputeRelativeTransform(prim, root)[0]).T
            if placed:
                matrix = np.array(UsdGeom.Xformable(root).GetLocalTransformation(time)).T @ matrix
            points.append(arrays["points"].astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3])
            corners.append(arrays["corners"] + start)
            sizes.append(arrays["sizes"])
            found.append(arrays)
            start += len(arrays["points"])
        none = np.zeros((0, 3))
        split.put(f"{number} points", space.points(np.concatenate(points) if points else none), False)
        split.put(f"{number} corners", np.concatenate(corners) if corners else np.zeros(0, np.int32), False)
        split.put(f"{number} sizes", np.concatenate(sizes) if sizes else np.zeros(0, np.int32), False)
        for name, values in _of_all(found).items():
            split.put(f"{number} {name}", values, False)

    # Transforms and cameras

    def matrix(self, path: str, time: float) -> tuple[NDArray[np.float64], bool]:
        prim = self._prim(path)
        matrix = np.array(self._cache(time).GetLocalToWorldTransform(prim), np.float64).T
        return matrix, self._placed_over_time(prim)

    def lens(self, path: str, time: float) -> Lens:
        from pxr import UsdGeom

        camera = UsdGeom.Camera(self._prim(path))
        if not camera:
            raise ExchangeError("it is no camera")
        focal = float(camera.GetFocalLengthAttr().Get(time) or 0.0)
        across = float(camera.GetHorizontalApertureAttr().Get(time) or 0.0)
        height = float(camera.GetVerticalApertureAttr().Get(time) or 0.0)
        if not (focal > 0 and across > 0 and height > 0) or not math.isfinite(focal * across * height):
            raise ExchangeError("the camera has no lens: its focal length and apertures must be over 0")
        offset = (
            2 * float(camera.GetHorizontalApertureOffsetAttr().Get(time) or 0.0) / height,
            2 * float(camera.GetVerticalApertureOffsetAttr().Get(time) or 0.0) / height,
        )
        clipping = camera.GetClippingRangeAttr().Get(time)
        near_far = (float(clipping[0]), float(clipping[1])) if clipping is not None else None
        parallel = 0.0
        if camera.GetProjectionAttr().Get(time) == UsdGeom.Tokens.orthographic:
            parallel = height * _APERTURE
        return Lens(math.degrees(2 * math.atan(height / 2 / focal)), across / height, offset, near_far, parallel)

    def _prim(self, path: str) -> Any:
        prim = self._stage.GetPrimAtPath(path)
        if not prim:
            raise ExchangeError(f"there is no prim {clean_name(path)}")
        return prim

    def _cache(self, time: float) -> Any:
        from pxr import UsdGeom

        if time not in self._xforms:
            if len(self._xforms) >= 8:
                self._xforms.clear()
            self._xforms[time] = UsdGeom.XformCache(time)
        return self._xforms[time]


def _whole_color(prim: Any) -> tuple[float, float, float] | None:
    """The one colour of a mesh, where it has one."""
    from pxr import UsdGeom

    color = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("displayColor")
    if not color or not color.HasValue() or color.GetInterpolation() != "constant":
        return None
    values = np.asarray(color.Get() or [], np.float64).reshape(-1, 3)
    if len(values) != 1:
        return None
    red, green, blue = np.clip(np.nan_to_num(values[0]), 0.0, 1.0).tolist()
    return round(red, 6), round(green, 6), round(blue, 6)


def _of_all(meshes: list[Arrays]) -> Arrays:
    """Colours, UVs and normals of meshes that become one, where all of them have some; one without normals has no hard edges."""
    normals = f"corner {AUTHORED}"
    every = with_normals(meshes, normals, [len(mesh["corners"]) for mesh in meshes])
    names = [name for name in ("point color", "corner uv", normals) if every and all(name in mesh for mesh in every)]
    return {name: np.concatenate([mesh[name] for mesh in every]) for name in names}


def _laid(matrices: NDArray[np.float64], space: Space, split: Split, moves: bool) -> None:
    """Positions, axes and scales of copies, from float64 (k, 4, 4), columns."""
    placed = np.array([space.matrix(matrix) for matrix in matrices])
    linear = placed[:, :3, :3]
    scales = np.maximum(np.linalg.norm(linear, axis=1), 1e-12)
    axes = linear / scales[:, None, :]
    split.put("positions", placed[:, :3, 3].astype(np.float32), moves)
    split.put("axes", axes.reshape(-1, 9).astype(np.float32), moves)
    split.put("scales", scales.astype(np.float32), moves)


def _missing_layers(stage: Any, sdf: Any) -> list[str]:
    """Layers that are referred to and are not there."""
    missing: list[str] = []
    for layer in stage.GetUsedLayers():
        for name in layer.GetCompositionAssetDependencies():
            resolved = layer.ComputeAbsolutePath(name)
            if (
                not layer.anonymous
                and "[" not in name
                and sdf.Layer.Find(resolved) is None
                and not Path(resolved).exists()
            ):
                missing.append(clean_name(name))
    return sorted(set(missing))


def _reason(error: Exception) -> str:
    """The place in a text file that could not be parsed, or what the library says."""
    place = _PARSED.search(str(error))
    return f"line {place[1]}, column {place[2]}, cannot be parsed" if place else _first_line(error)


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[-1].strip()[:200] if str(error).strip() else type(error).__name__


register_stage((".usd", ".usda", ".usdc", ".usdz"), UsdStage)
