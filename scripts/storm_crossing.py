"""The stage of the sample *storm-crossing*: a boat crosses a swell, its mast bends, buoys nod, and the camera goes along.

Everything is computed here, in metres, frames 1 to 96. Run it to write the file again: `python -m scripts.storm_crossing`.
"""

import math
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdSkel, Vt

TARGET = Path(__file__).parents[1] / "src" / "estompe" / "samples" / "storm-crossing.usdc"
FIRST, LAST = 1, 96
STEP = 6
_SEA = (84, 64, 16.0, 12.0)


def swell(x: np.ndarray, z: np.ndarray, frame: float) -> np.ndarray:
    """How high the sea stands, metres."""
    time = frame / 24.0
    high: np.ndarray = (
        0.34 * np.sin(0.55 * x + 0.25 * z - 1.1 * time)
        + 0.16 * np.sin(-0.4 * x + 0.9 * z - 1.7 * time + 1.0)
        + 0.06 * np.sin(1.9 * x + 1.3 * z - 2.6 * time)
    )
    return high


def boat_at(frame: float) -> tuple[float, float, float, float, float]:
    """X, height, heading, roll and pitch of the boat."""
    x = -5.0 + 10.0 * (frame - FIRST) / (LAST - FIRST)
    high, ahead, behind = (float(swell(np.array(x + side), np.array(0.0), frame)) for side in (0.0, 1.2, -1.2))
    left, right = (float(swell(np.array(x), np.array(side), frame)) for side in (0.5, -0.5))
    roll, pitch = math.degrees(math.atan2(left - right, 1.0)), math.degrees(math.atan2(ahead - behind, 2.4))
    return x, high, 4.0 * math.sin(frame / 30), roll, pitch


def write(path: Path) -> None:
    """Write the stage."""
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(24)
    stage.SetFramesPerSecond(24)
    stage.SetStartTimeCode(FIRST)
    stage.SetEndTimeCode(LAST)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/Crossing").GetPrim())
    _sea(stage)
    _boat(stage)
    _buoys(stage)
    _camera(stage)
    stage.Save()


def _colored(stage: Usd.Stage, mesh: UsdGeom.Mesh, name: str, color: tuple[float, float, float]) -> None:
    """A colour, and a plain material, so that there is something an over must leave alone."""
    made = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, "constant")
    made.Set([Gf.Vec3f(*color)])
    material = UsdShade.Material.Define(stage, f"/Crossing/Materials/{name}")
    shader = UsdShade.Shader.Define(stage, f"/Crossing/Materials/{name}/Surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*color))
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)


def _quads(columns: int, rows: int, around: bool = False) -> np.ndarray:
    """Quads over a grid of points, row after row; around: the columns close."""
    i, j = np.meshgrid(np.arange(columns if around else columns - 1), np.arange(rows - 1))
    k = (i + 1) % columns
    made: np.ndarray = np.stack([j * columns + i, (j + 1) * columns + i, (j + 1) * columns + k, j * columns + k], -1)
    return made.reshape(-1, 4)


def _mesh(stage: Usd.Stage, path: str, points: np.ndarray, quads: np.ndarray) -> UsdGeom.Mesh:
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points.astype(np.float32)))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(quads), quads.shape[1], np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(quads.astype(np.int32).reshape(-1)))
    mesh.CreateExtentAttr(_extent(points))
    return mesh


def _extent(points: np.ndarray) -> Vt.Vec3fArray:
    return Vt.Vec3fArray.FromNumpy(np.stack([points.min(0), points.max(0)]).astype(np.float32))


def _sea(stage: Usd.Stage) -> None:
    columns, rows, width, depth = _SEA
    x, z = np.meshgrid(np.linspace(-width / 2, width / 2, columns), np.linspace(-depth / 2, depth / 2, rows))
    flat = np.stack([x.ravel(), np.zeros(x.size), z.ravel()], 1)
    mesh = _mesh(stage, "/Crossing/Sea", flat, _quads(columns, rows))
    uv = np.stack([x.ravel() / width + 0.5, z.ravel() / depth + 0.5], 1).astype(np.float32)
    made = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex")
    made.Set(Vt.Vec2fArray.FromNumpy(uv))
    for frame in (*range(FIRST, LAST, STEP), LAST):
        moved = flat.copy()
        moved[:, 1] = swell(flat[:, 0], flat[:, 2], frame)
        mesh.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(moved.astype(np.float32)), frame)
        mesh.GetExtentAttr().Set(_extent(moved), frame)
    _colored(stage, mesh, "water", (0.089, 0.163, 0.187))


def _boat(stage: Usd.Stage) -> None:
    boat = UsdGeom.Xform.Define(stage, "/Crossing/Boat")
    place, turn = boat.AddTranslateOp(), boat.AddRotateXYZOp()
    for frame in range(FIRST, LAST + 1, 2):
        x, high, heading, roll, pitch = boat_at(frame)
        place.Set(Gf.Vec3d(x, high + 0.1, 0), frame)
        turn.Set(Gf.Vec3f(roll, heading, pitch), frame)
    hull = _mesh(stage, "/Crossing/Boat/Hull", *_hull())
    _colored(stage, hull, "planks", (0.342, 0.14, 0.0732))
    _rig(stage)


def _hull() -> tuple[np.ndarray, np.ndarray]:
    """Ribs from stern to bow, each from gunwale to gunwale below the keel."""
    along, ribs = np.linspace(-1.3, 1.5, 56), 29
    points = []
    for x in along:
        share = (x + 1.3) / 2.8
        width = 0.52 * math.sin(math.pi * min(0.985, 0.24 + 0.75 * share)) ** 0.8
        deep = 0.38 * math.sin(math.pi * min(0.985, 0.25 + 0.74 * share)) ** 0.6
        sheer = 0.30 + 0.9 * (share - 0.45) ** 2
        for angle in np.linspace(-math.pi / 2, math.pi / 2, ribs):
            down = max(0.0, math.cos(angle)) ** 0.7
            points.append((x, sheer - (sheer + deep) * down, width * math.sin(angle)))
    return np.array(points), _quads(ribs, len(along))


def _rig(stage: Usd.Stage) -> None:
    """A mast with a sail, on a chain of joints that bends in the gusts."""
    UsdSkel.Root.Define(stage, "/Crossing/Boat/Rig").AddTranslateOp().Set(Gf.Vec3d(0.25, 0.1, 0))
    joints, heights = ["foot", "foot/middle", "foot/middle/top"], (0.0, 1.1, 2.2)
    skeleton = UsdSkel.Skeleton.Define(stage, "/Crossing/Boat/Rig/Bones")
    skeleton.CreateJointsAttr(joints)
    skeleton.CreateBindTransformsAttr([Gf.Matrix4d().SetTranslate(Gf.Vec3d(0, high, 0)) for high in heights])
    steps = [Gf.Vec3f(0, high - low, 0) for low, high in zip((0.0, *heights), heights, strict=False)]
    skeleton.CreateRestTransformsAttr([Gf.Matrix4d().SetTranslate(Gf.Vec3d(step)) for step in steps])
    sway = UsdSkel.Animation.Define(stage, "/Crossing/Boat/Rig/Bones/Gusts")
    sway.CreateJointsAttr(joints)
    sway.CreateTranslationsAttr(steps)
    sway.CreateScalesAttr([Gf.Vec3h(1, 1, 1)] * 3)
    sway.CreateRotationsAttr()
    for frame in range(FIRST, LAST + 1, 3):
        lean = 5 * math.sin(frame / 9.0) + 3 * math.sin(frame / 4.1)
        bends = [Gf.Quatf(Gf.Rotation(Gf.Vec3d(0, 0, 1), share * lean).GetQuat()) for share in (0.3, 0.8, 1.4)]
        sway.GetRotationsAttr().Set(Vt.QuatfArray(bends), frame)
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([sway.GetPath()])
    mast = _mesh(stage, "/Crossing/Boat/Rig/Mast", *_mast())
    _colored(stage, mast, "spar", (0.263, 0.187, 0.119))
    sail = _mesh(stage, "/Crossing/Boat/Rig/Sail", *_sail())
    _colored(stage, sail, "canvas", (0.711, 0.604, 0.42))
    for mesh in (mast, sail):
        _bind(mesh, heights)


def _mast() -> tuple[np.ndarray, np.ndarray]:
    around, rows = 12, 40
    rings = []
    for high in np.linspace(0, 2.9, rows):
        radius = 0.045 * (1 - 0.6 * high / 2.9)
        for angle in np.linspace(0, 2 * np.pi, around, endpoint=False):
            rings.append((radius * math.cos(angle), high, radius * math.sin(angle)))
    return np.array(rings), _quads(around, rows, around=True)


def _sail() -> tuple[np.ndarray, np.ndarray]:
    columns, rows = 40, 60
    points = []
    for high in np.linspace(0.0, 1.0, rows):
        width = 1.25 * (1 - high) ** 0.85 + 0.05
        for across in np.linspace(0.0, 1.0, columns):
            belly = 0.28 * math.sin(math.pi * across) * math.sin(math.pi * min(1.0, high + 0.12)) * width
            points.append((-0.06 - width * across, 0.55 + 2.2 * high, belly))
    return np.array(points), _quads(columns, rows)


def _bind(mesh: UsdGeom.Mesh, heights: tuple[float, float, float]) -> None:
    """Each point between the two joints that it stands between."""
    y = np.asarray(mesh.GetPointsAttr().Get())[:, 1]
    lower = np.clip(np.searchsorted(heights, y, side="right") - 1, 0, 1)
    share = np.clip((y - np.array(heights)[lower]) / 1.1, 0, 1)
    indices = np.stack([lower, lower + 1], 1).astype(np.int32)
    weights = np.stack([1 - share, share], 1).astype(np.float32)
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets(["/Crossing/Boat/Rig/Bones"])
    binding.CreateJointIndicesPrimvar(False, 2).Set(Vt.IntArray.FromNumpy(indices.reshape(-1)))
    binding.CreateJointWeightsPrimvar(False, 2).Set(Vt.FloatArray.FromNumpy(weights.reshape(-1)))


def _buoys(stage: Usd.Stage) -> None:
    """A row of buoys on both sides of the channel, nodding in the swell."""
    made = UsdGeom.PointInstancer.Define(stage, "/Crossing/Buoys")
    UsdGeom.Xform.Define(stage, "/Crossing/Buoys/Forms/buoy")
    around, rows = 20, 14
    rings = []
    for share in np.linspace(0.02, 0.98, rows):
        radius = 0.2 * math.sin(math.pi * share) ** 0.6
        for angle in np.linspace(0, 2 * np.pi, around, endpoint=False):
            rings.append((radius * math.cos(angle), 0.62 * share - 0.2, radius * math.sin(angle)))
    form = _mesh(stage, "/Crossing/Buoys/Forms/buoy/body", np.array(rings), _quads(around, rows, around=True))
    _colored(stage, form, "paint", (0.57, 0.107, 0.047))
    made.CreatePrototypesRel().AddTarget("/Crossing/Buoys/Forms/buoy")
    places = np.array([(x, z) for x in np.linspace(-6, 6, 9) for z in (-1.9, 1.9)])
    made.CreateProtoIndicesAttr([0] * len(places))
    made.CreateIdsAttr(list(range(len(places))))
    for frame in (*range(FIRST, LAST, STEP), LAST):
        high = swell(places[:, 0], places[:, 1], frame)
        positions = np.stack([places[:, 0], high, places[:, 1]], 1).astype(np.float32)
        made.CreatePositionsAttr().Set(Vt.Vec3fArray.FromNumpy(positions), frame)
        tilts = 9 * np.sin(frame / 6.0 + places[:, 0])
        turns = [Gf.Quath(Gf.Quatf(Gf.Rotation(Gf.Vec3d(0, 0, 1), float(tilt)).GetQuat())) for tilt in tilts]
        made.CreateOrientationsAttr().Set(Vt.QuathArray(turns), frame)
        made.CreateExtentAttr().Set(_extent(np.concatenate([positions - 0.45, positions + 0.45])), frame)


def _camera(stage: Usd.Stage) -> None:
    camera = UsdGeom.Camera.Define(stage, "/Crossing/Camera")
    camera.CreateFocalLengthAttr(40)
    camera.CreateHorizontalApertureAttr(36)
    camera.CreateVerticalApertureAttr(20.25)
    camera.CreateClippingRangeAttr(Gf.Vec2f(0.1, 500))
    matrix = camera.AddTransformOp()
    for frame in range(FIRST, LAST + 1, 5):
        x = boat_at(frame)[0]
        eye = Gf.Vec3d(0.5 * x + 2.2, 2.5 + 0.1 * math.sin(frame / 11), 7.2)
        look = Gf.Matrix4d().SetLookAt(eye, Gf.Vec3d(0.8 * x, 0.95, 0), Gf.Vec3d(0, 1, 0))
        matrix.Set(look.GetInverse(), frame)


if __name__ == "__main__":
    TARGET.unlink(missing_ok=True)
    write(TARGET)
