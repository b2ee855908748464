"""What a USD prim is for: whether it is seen, for which purpose, and the meshes of prims that are only named by their sizes."""

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

_SEGMENTS, _RINGS = 48, 24
SOLIDS = ("Sphere", "Cube", "Cylinder", "Cone", "Capsule", "Plane")
"""Types of prims that have sizes and no points."""
_SIZES = ("radius", "height", "size", "width", "length", "axis")


class Solid(NamedTuple):
    """A closed form: points float64 (n, 3) in the prim's space, corners int32 (m,), corners of each face int32 (faces,)."""

    points: NDArray[np.float64]
    corners: NDArray[np.int32]
    sizes: NDArray[np.int32]


def why_hidden(prim: Any, time: Any) -> str:
    """Why a prim is not meant for pictures at a time, in words; "" where it is."""
    from pxr import UsdGeom

    seen = UsdGeom.Imageable(prim)
    if not seen:
        return ""
    purpose = str(seen.ComputePurpose())
    if purpose in (UsdGeom.Tokens.proxy, UsdGeom.Tokens.guide):
        return f"for the purpose {purpose}"
    return "invisible in the file" if is_invisible(prim, time) else ""


def is_invisible(prim: Any, time: Any) -> bool:
    """Whether a prim, or one above it, is invisible at a time."""
    from pxr import UsdGeom

    seen = UsdGeom.Imageable(prim)
    return bool(seen) and seen.ComputeVisibility(time) == UsdGeom.Tokens.invisible


def visibility_varies(prim: Any) -> bool:
    """Whether the visibility of a prim, or of one above it, changes over time."""
    from pxr import UsdGeom

    while prim and not prim.IsPseudoRoot():
        seen = UsdGeom.Imageable(prim)
        if seen and seen.GetVisibilityAttr().ValueMightBeTimeVarying():
            return True
        prim = prim.GetParent()
    return False


def sizes_vary(prim: Any) -> bool:
    """Whether the sizes of a solid change over time."""
    return any(prim.GetAttribute(name) and prim.GetAttribute(name).ValueMightBeTimeVarying() for name in _SIZES)


def solid_of(prim: Any, time: Any) -> Solid:
    """The mesh of a prim of one of the types in `SOLIDS`, with outward faces, in its own space."""
    kind = str(prim.GetTypeName())

    def size(name: str, first: float) -> float:
        attribute = prim.GetAttribute(name)
        value = attribute.Get(time) if attribute else None
        return first if value is None else float(value)

    axis = str(prim.GetAttribute("axis").Get() or "Z") if prim.GetAttribute("axis") else "Z"
    if kind == "Cube":
        return _cube(size("size", 2.0) / 2)
    if kind == "Plane":
        return _plane(size("width", 2.0) / 2, size("length", 2.0) / 2, axis)
    radius, height = (
        size("radius", 0.5 if kind == "Capsule" else 1.0),
        size("height", 1.0 if kind == "Capsule" else 2.0),
    )
    if kind == "Sphere":
        return _revolved(_arc(radius, 0.0, -math.pi / 2, math.pi / 2))
    half = height / 2
    profiles = {
        "Cylinder": [(0.0, -half), (radius, -half), (radius, half), (0.0, half)],
        "Cone": [(0.0, -half), (radius, -half), (0.0, half)],
        "Capsule": [*_arc(radius, -half, -math.pi / 2, 0.0), *_arc(radius, half, 0.0, math.pi / 2)],
    }
    return _turned(_revolved(profiles[kind]), axis)


def _arc(radius: float, middle: float, begin: float, end: float) -> list[tuple[float, float]]:
    angles = np.linspace(begin, end, _RINGS if end - begin > 2.0 else _RINGS // 2 + 1).tolist()
    return [(max(0.0, radius * math.cos(angle)), middle + radius * math.sin(angle)) for angle in angles]


def _revolved(profile: list[tuple[float, float]]) -> Solid:
    """A profile of radius and height, from pole to pole, turned about Z."""
    inner = profile[1:-1]
    around = np.linspace(0.0, 2 * np.pi, _SEGMENTS, endpoint=False)
    rings = [np.stack([r * np.cos(around), r * np.sin(around), np.full(_SEGMENTS, z)], axis=1) for r, z in inner]
    points = np.concatenate([*rings, [(0.0, 0.0, profile[0][1]), (0.0, 0.0, profile[-1][1])]])
    low, high = len(points) - 2, len(points) - 1
    here = np.arange(_SEGMENTS)
    following = (here + 1) % _SEGMENTS
    corners, sizes = [np.stack([np.full(_SEGMENTS, low), following, here], axis=1).reshape(-1)], [3] * _SEGMENTS
    for ring in range(len(inner) - 1):
        a, b = ring * _SEGMENTS, (ring + 1) * _SEGMENTS
        corners.append(np.stack([a + here, a + following, b + following, b + here], axis=1).reshape(-1))
        sizes += [4] * _SEGMENTS
    top = (len(inner) - 1) * _SEGMENTS
    corners.append(np.stack([top + here, top + following, np.full(_SEGMENTS, high)], axis=1).reshape(-1))
    sizes += [3] * _SEGMENTS
    return Solid(points, np.concatenate(corners).astype(np.int32), np.array(sizes, np.int32))


def _cube(half: float) -> Solid:
    points = np.array([(x, y, z) for z in (-half, half) for y in (-half, half) for x in (-half, half)])
    faces = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    return Solid(points, np.array(faces, np.int32).reshape(-1), np.full(6, 4, np.int32))


def _plane(across: float, along: float, axis: str) -> Solid:
    """A plane across an axis: its width runs along X, or along Z where the axis is X (OpenUSD, UsdGeomPlane)."""
    a, b = np.array([-across, across, across, -across]), np.array([-along, -along, along, along])
    none = np.zeros(4)
    sides = {"X": (none, b, -a), "Y": (a, none, -b)}.get(axis, (a, b, none))
    points = np.stack(sides, axis=1)
    return Solid(points, np.arange(4, dtype=np.int32), np.array([4], np.int32))


def _turned(solid: Solid, axis: str) -> Solid:
    """A form along Z, along another axis; the cyclic order of axes keeps faces outward."""
    order = {"Z": (0, 1, 2), "X": (2, 0, 1), "Y": (1, 2, 0)}.get(axis, (0, 1, 2))
    return solid._replace(points=np.ascontiguousarray(solid.points[:, order]))


def first_uv(primvars: list[Any]) -> str:
    """The name of the primvar that is the UV: `st`, else the first that holds texture coordinates, else ""."""
    names = [str(item.GetPrimvarName()) for item in primvars]
    if "st" in names:
        return "st"
    coordinates = (item for item in primvars if str(item.GetTypeName()).startswith("texCoord2"))
    return next((str(item.GetPrimvarName()) for item in coordinates), "")
