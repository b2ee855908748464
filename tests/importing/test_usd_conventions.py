"""What USD says besides points: who is seen and for what, solids by their sizes, any UV, orthographic cameras, missing prims."""

import numpy as np
import pytest
import trimesh
from pxr import Gf, Sdf, Usd, UsdGeom

from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluation import evaluate
from estompe.geometry import Domain
from estompe.importing.mesh import read_mesh
from estompe.importing.stage import open_stage
from estompe.importing.usd_prims import SOLIDS
from estompe.render import Viewpoint
from estompe.setups.shot import listed, with_shot


def quad(stage, path, side=1.0):
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr([(0, 0, 0), (side, 0, 0), (side, 0, side), (0, 0, side)])
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 3, 2, 1])
    return mesh


@pytest.fixture
def stage(tmp_path):
    made = Usd.Stage.CreateNew(str(tmp_path / "harbour.usda"))
    UsdGeom.SetStageUpAxis(made, "Y")
    UsdGeom.SetStageMetersPerUnit(made, 1.0)
    made.SetStartTimeCode(1)
    made.SetEndTimeCode(10)
    made.SetTimeCodesPerSecond(24)
    UsdGeom.Xform.Define(made, "/Harbour")
    return made


def imported(stage):
    stage.Save()
    path = stage.GetRootLayer().realPath
    from pathlib import Path

    return with_shot(Project(Scene()), listed(Path(path), Scene())).project


def names(project):
    return {shape.name for shape in project.scene.shapes}


def test_what_is_invisible_or_for_proxies_and_guides_is_listed_and_not_imported_at_first(stage, tmp_path):
    quad(stage, "/Harbour/quay").CreatePurposeAttr("render")
    quad(stage, "/Harbour/stand_in").CreatePurposeAttr("proxy")
    quad(stage, "/Harbour/rig").CreatePurposeAttr("guide")
    quad(stage, "/Harbour/spare").MakeInvisible()
    UsdGeom.Imageable(UsdGeom.Xform.Define(stage, "/Harbour/store")).MakeInvisible()
    quad(stage, "/Harbour/store/crate")
    project = imported(stage)
    assert names(project) == {"quay"}
    about = open_stage(tmp_path / "harbour.usda").about()
    notes = {entry.name: entry.note for entry in about.entries if entry.hidden}
    assert notes == {
        "stand_in": "for the purpose proxy", "rig": "for the purpose guide", "spare": "invisible in the file",
        "crate": "invisible in the file",
    }  # fmt: skip
    mesh = read_mesh(tmp_path / "harbour.usda")
    assert len(mesh.points) == 4
    assert any("4 prims" in note for note in mesh.notes)


def test_what_blinks_has_faces_while_it_is_seen_and_its_points_always(stage):
    seen = quad(stage, "/Harbour/lamp").CreateVisibilityAttr()
    for time, value in ((1, "inherited"), (4, "invisible"), (8, "inherited")):
        seen.Set(value, time)
    project = imported(stage)
    (shape,) = project.scene.shapes
    for frame, faces in ((1, 1), (3, 1), (4, 0), (7, 0), (8, 1)):
        found = evaluate(project, frame)
        assert found.problems == ()
        assert found[shape.id].topology.faces == faces
        assert len(found[shape.id].points) == 4


@pytest.mark.parametrize("kind", SOLIDS)
@pytest.mark.parametrize("axis", ["X", "Y", "Z"])
def test_solids_come_in_with_their_sizes_closed_and_outward(stage, tmp_path, kind, axis):
    prim = getattr(UsdGeom, kind).Define(stage, f"/Harbour/{kind}")
    sizes = {"radius": 0.75, "height": 1.5, "size": 1.2, "width": 1.4, "length": 0.8}
    for name, value in sizes.items():
        if prim.GetPrim().GetAttribute(name):
            prim.GetPrim().GetAttribute(name).Set(value)
    if prim.GetPrim().GetAttribute("axis"):
        prim.GetPrim().GetAttribute("axis").Set(axis)
    project = imported(stage)
    geometry = evaluate(project, 1)[project.scene.shapes[0].id]
    # The library's own bounds of the prim.
    box = UsdGeom.Boundable(prim).ComputeLocalBound(Usd.TimeCode.Default(), "default").ComputeAlignedRange()
    low, high = geometry.bounds
    assert np.allclose(low, box.GetMin(), atol=2e-3)
    assert np.allclose(high, box.GetMax(), atol=2e-3)
    if kind != "Plane":
        mesh = trimesh.Trimesh(geometry.points, geometry.topology.triangles)
        assert mesh.is_watertight
        volumes = {
            "Sphere": 4 / 3 * np.pi * 0.75**3, "Cube": 1.2**3, "Cylinder": np.pi * 0.75**2 * 1.5,
            "Cone": np.pi * 0.75**2 * 1.5 / 3, "Capsule": np.pi * 0.75**2 * 1.5 + 4 / 3 * np.pi * 0.75**3,
        }  # fmt: skip
        assert mesh.volume == pytest.approx(volumes[kind], rel=0.02)
    stage.Save()
    assert np.allclose(read_mesh(tmp_path / "harbour.usda").bounds, geometry.bounds, atol=1e-5)


def test_a_solid_whose_size_moves_is_read_at_each_frame(stage):
    radius = UsdGeom.Sphere.Define(stage, "/Harbour/float").CreateRadiusAttr()
    radius.Set(0.5, 1)
    radius.Set(2.0, 10)
    project = imported(stage)
    shape = project.scene.shapes[0].id
    for frame in (1, 4, 10):
        apart = np.linalg.norm(evaluate(project, frame)[shape].points, axis=1)
        assert apart.max() == pytest.approx(0.5 + 1.5 * (frame - 1) / 9, rel=1e-5)


@pytest.mark.parametrize("name", ["st", "UVMap", "map1"])
def test_any_texture_coordinates_are_the_uv(stage, tmp_path, name):
    mesh = quad(stage, "/Harbour/sail")
    values = [(0, 0), (0, 1), (1, 1), (1, 0)]
    made = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(name, Sdf.ValueTypeNames.TexCoord2fArray, "faceVarying")
    made.Set(values)
    project = imported(stage)
    geometry = evaluate(project, 1)[project.scene.shapes[0].id]
    assert np.allclose(geometry.attribute(Domain.CORNER, "uv"), values)
    assert np.allclose(read_mesh(tmp_path / "harbour.usda").attribute(Domain.CORNER, "uv"), values)


@pytest.mark.parametrize("metres", [1.0, 0.01])
def test_an_orthographic_camera_sees_as_much_as_the_library_says(stage, metres):
    UsdGeom.SetStageMetersPerUnit(stage, metres)
    quad(stage, "/Harbour/quay")
    camera = UsdGeom.Camera.Define(stage, "/Harbour/cam")
    camera.CreateProjectionAttr("orthographic")
    camera.CreateHorizontalApertureAttr(40.0)
    camera.CreateVerticalApertureAttr(25.0)
    UsdGeom.XformCommonAPI(camera).SetTranslate((0, 1, 5))
    project = imported(stage)
    view = Viewpoint.of_camera(evaluate(project, 1).scene.camera)
    window = camera.GetCamera(Usd.TimeCode.Default()).frustum.GetWindow()
    assert view.parallel == pytest.approx((window.GetMax()[1] - window.GetMin()[1]) * metres)
    assert view.aspect == pytest.approx(40 / 25)
    corner = Gf.Vec3d(window.GetMax()[0], window.GetMax()[1] + 1.0, 0.0) * metres
    pixel, _ = view.project(np.array([corner]), 400.0, 250.0)
    assert np.allclose(pixel, [(400.0, 0.0)], atol=1e-3)


def test_a_default_prim_that_is_not_there_is_no_fault(stage, tmp_path):
    quad(stage, "/Harbour/quay")
    stage.GetRootLayer().defaultPrim = "Nowhere"
    stage.Save()
    assert open_stage(tmp_path / "harbour.usda").about().default_prim == ""
