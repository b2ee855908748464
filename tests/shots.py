"""Small animated files that tests write with the USD library and by hand."""

import base64
import json
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel, Vt

SQUARE = np.array([[0, 0, 0], [100, 0, 0], [100, 100, 0], [0, 100, 0]], np.float32)


def new_stage(path: Path, up: str = "Y", metres: float = 1.0, first: int = 1, last: int = 10) -> Usd.Stage:
    """A stage with a frame range at 24 frames per second."""
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, metres)
    stage.SetTimeCodesPerSecond(24)
    stage.SetFramesPerSecond(24)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/World").GetPrim())
    return stage


def define_mesh(
    stage: Usd.Stage, path: str, points: np.ndarray = SQUARE, counts=(4,), indices=(0, 1, 2, 3)
) -> UsdGeom.Mesh:
    """A mesh with a UV per corner and a colour per point."""
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.asarray(points, np.float32)))
    mesh.CreateFaceVertexCountsAttr(list(counts))
    mesh.CreateFaceVertexIndicesAttr(list(indices))
    primvars = UsdGeom.PrimvarsAPI(mesh)
    uv = np.linspace(0, 1, 2 * len(indices)).reshape(-1, 2).astype(np.float32)
    primvars.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "faceVarying").Set(Vt.Vec2fArray.FromNumpy(uv))
    color = np.linspace(0, 1, 3 * len(points)).reshape(-1, 3).astype(np.float32)
    primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, "vertex").Set(
        Vt.Vec3fArray.FromNumpy(color)
    )
    return mesh


def boat_stage(path: Path) -> Path:
    """In centimetres, Z up: a boat that moves with a hull that swells, a camera on it, a lamp, and buoys as copies."""
    stage = new_stage(path, "Z", 0.01, 1001, 1010)
    boat = UsdGeom.Xform.Define(stage, "/World/Boat")
    place, turn = boat.AddTranslateOp(), boat.AddRotateZOp()
    hull = define_mesh(stage, "/World/Boat/Hull")
    for frame in (1001, 1010):
        place.Set(Gf.Vec3d(100 * (frame - 1001), 0, 50), frame)
        turn.Set(10.0 * (frame - 1001), frame)
        swollen = SQUARE.copy()
        swollen[:, 2] = 10 * (frame - 1001)
        hull.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(swollen), frame)
    UsdGeom.Subset.CreateUniqueGeomSubset(hull, "deck", "face", Vt.IntArray([0]))
    camera = UsdGeom.Camera.Define(stage, "/World/Boat/Camera")
    camera.AddTranslateOp().Set(Gf.Vec3d(0, -500, 100))
    camera.AddRotateXOp().Set(90)
    camera.CreateFocalLengthAttr(35)
    camera.CreateHorizontalApertureAttr(36)
    camera.CreateVerticalApertureAttr(20.25)
    camera.CreateClippingRangeAttr(Gf.Vec2f(10, 100000))
    UsdGeom.Xform.Define(stage, "/World/Lamp").AddTranslateOp().Set(Gf.Vec3d(0, 0, 300))
    buoys = UsdGeom.PointInstancer.Define(stage, "/World/Buoys")
    UsdGeom.Xform.Define(stage, "/World/Buoys/Forms/buoy").AddScaleOp().Set(Gf.Vec3f(0.5))
    define_mesh(stage, "/World/Buoys/Forms/buoy/shell")
    buoys.CreatePrototypesRel().AddTarget("/World/Buoys/Forms/buoy")
    buoys.CreateProtoIndicesAttr([0, 0, 0])
    buoys.CreateIdsAttr([7, 8, 9])
    buoys.CreateInvisibleIdsAttr([8])
    for frame in (1001, 1010):
        buoys.CreatePositionsAttr().Set([(0, 0, frame - 1001), (200, 0, 0), (400, 0, 0)], frame)
    UsdGeom.NurbsPatch.Define(stage, "/World/Moon")
    stage.Save()
    return path


def skinned_stage(path: Path) -> Path:
    """A mast of two rows of points on two joints, the upper one bent by 90 degrees at frame 10, with a blend shape."""
    stage = new_stage(path)
    UsdSkel.Root.Define(stage, "/World/Mast")
    skeleton = UsdSkel.Skeleton.Define(stage, "/World/Mast/Bones")
    joints = ["foot", "foot/top"]
    bind = [Gf.Matrix4d(1), Gf.Matrix4d().SetTranslate(Gf.Vec3d(0, 1, 0))]
    skeleton.CreateJointsAttr(joints)
    skeleton.CreateBindTransformsAttr(bind)
    skeleton.CreateRestTransformsAttr(bind)
    animation = UsdSkel.Animation.Define(stage, "/World/Mast/Bones/Sway")
    animation.CreateJointsAttr(joints)
    animation.CreateTranslationsAttr([(0, 0, 0), (0, 1, 0)])
    animation.CreateScalesAttr([(1, 1, 1), (1, 1, 1)])
    still, bent = Gf.Quatf(1), Gf.Quatf(Gf.Rotation(Gf.Vec3d(0, 0, 1), 90).GetQuat())
    animation.CreateRotationsAttr().Set([still, still], 1)
    animation.GetRotationsAttr().Set([still, bent], 10)
    animation.CreateBlendShapesAttr(["puff"])
    animation.CreateBlendShapeWeightsAttr().Set([0.0], 1)
    animation.GetBlendShapeWeightsAttr().Set([1.0], 10)
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 2, 0], [0, 2, 0]], np.float32)
    mesh = define_mesh(stage, "/World/Mast/Skin", points)
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets(["/World/Mast/Bones"])
    binding.CreateJointIndicesPrimvar(False, 1).Set([0, 0, 1, 1])
    binding.CreateJointWeightsPrimvar(False, 1).Set([1.0, 1.0, 1.0, 1.0])
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets(["/World/Mast/Bones/Sway"])
    shape = UsdSkel.BlendShape.Define(stage, "/World/Mast/Skin/puff")
    shape.CreateOffsetsAttr([(0, 0, 3)])
    shape.CreatePointIndicesAttr([0])
    binding.CreateBlendShapesAttr(["puff"])
    binding.CreateBlendShapeTargetsRel().SetTargets(["/World/Mast/Skin/puff"])
    stage.Save()
    return path


def instanced_stage(path: Path) -> Path:
    """Three native instances of one prototype, in a row."""
    stage = new_stage(path)
    define_mesh(stage, "/Library/Crate/box")
    stage.GetPrimAtPath("/Library").SetSpecifier(Sdf.SpecifierClass)
    for number in range(3):
        crate = UsdGeom.Xform.Define(stage, f"/World/crate_{number}")
        crate.GetPrim().GetReferences().AddInternalReference("/Library/Crate")
        crate.GetPrim().SetInstanceable(True)
        crate.AddTranslateOp().Set(Gf.Vec3d(10 * number, 5, 0))
    stage.Save()
    return path


def animated_gltf(path: Path) -> Path:
    """A triangle on a node that moves 0 to 2 along X in a second, with a morph target, and one skinned to a turning joint."""
    triangle = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
    lifted = np.array([[0, 0, 1], [0, 0, 1], [0, 0, 1]], "<f4")
    half = np.sqrt(0.5)
    blocks = [
        triangle, lifted, np.array([0, 1], "<f4"), np.array([[0, 0, 0], [2, 0, 0]], "<f4"), np.array([0, 1], "<f4"),
        np.array([[0, 0, 0, 1], [0, 0, half, half]], "<f4"), np.zeros((3, 4), "u1"),
        np.array([[1, 0, 0, 0]] * 3, "<f4"), np.eye(4, dtype="<f4")[None],
    ]  # fmt: skip
    types = ["VEC3", "VEC3", "SCALAR", "VEC3", "SCALAR", "VEC4", "VEC4", "VEC4", "MAT4"]
    data, views, accessors = b"", [], []
    for block, kind in zip(blocks, types, strict=True):
        views.append({"buffer": 0, "byteOffset": len(data), "byteLength": block.nbytes})
        component = 5121 if block.dtype == np.uint8 else 5126
        accessors.append({"bufferView": len(views) - 1, "componentType": component, "count": len(block), "type": kind})
        data += block.tobytes() + b"\0" * (-block.nbytes % 4)
    about = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0, 1, 2]}],
        "nodes": [
            {"name": "Flag", "mesh": 0}, {"name": "Sail", "mesh": 1, "skin": 0, "translation": [5, 0, 0]}, {"name": "Bone"},
            {"name": "Unused"},
        ],
        "meshes": [
            {"primitives": [{"attributes": {"POSITION": 0}, "targets": [{"POSITION": 1}]}]},
            {"primitives": [{"attributes": {"POSITION": 0, "JOINTS_0": 6, "WEIGHTS_0": 7}}]},
        ],
        "skins": [{"joints": [2], "inverseBindMatrices": 8}],
        "animations": [{
            "channels": [
                {"sampler": 0, "target": {"node": 0, "path": "translation"}},
                {"sampler": 1, "target": {"node": 0, "path": "weights"}},
                {"sampler": 2, "target": {"node": 2, "path": "rotation"}},
            ],
            "samplers": [{"input": 2, "output": 3}, {"input": 2, "output": 4}, {"input": 2, "output": 5}],
        }],
        "accessors": accessors, "bufferViews": views,
        "buffers": [{"byteLength": len(data), "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode()}],
    }  # fmt: skip
    path.write_text(json.dumps(about))
    return path


def sequence(folder: Path, frames: tuple[int, ...] = (1, 2, 3, 4), other: int | None = None) -> Path:
    """OBJ files of a square that rises by a tenth a frame; other: a frame with other faces."""
    for frame in frames:
        lines = [f"v {x} {y} {frame / 10}\n" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines.append("f 1 2 3\n" if frame == other else "f 1 2 3 4\n")
        (folder / f"swell.{frame:04d}.obj").write_text("".join(lines))
    return folder / "swell.####.obj"
