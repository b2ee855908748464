"""Embedding a shot's shape: the same points and places without the file."""

import numpy as np
import pytest
from msgspec import structs
from pxr import Gf, Usd, UsdGeom, Vt

from estompe.document import edits, file
from estompe.document.project import Project
from estompe.document.scene import Scene, Shape
from estompe.evaluation import evaluate
from estompe.geometry import Domain
from estompe.importing.footage import close_all
from estompe.setups.embedding import embedded
from estompe.setups.shot import ShotError, listed, with_shot
from estompe.shapes.grid import Grid
from tests import shots


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


def imported(path):
    return with_shot(Project(Scene()), listed(path, Scene())).project


def named(project, name):
    return next(shape.id for shape in project.scene.shapes if shape.name == name)


def test_it_is_the_same_without_its_file_and_in_between_frames(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    project = imported(path)
    before = {frame: evaluate(project, frame)["Hull"] for frame in (1001, 1004, 1006.5, 1010)}
    made = embedded(project, named(project, "Hull"))
    path.unlink()
    close_all()
    file.save(made, tmp_path / "a.estompe")
    again = file.load(tmp_path / "a.estompe")
    for frame, mesh in before.items():
        after = evaluate(again, frame)["Hull"]
        assert np.allclose(after.points, mesh.points, atol=2e-4)
        assert np.array_equal(after.rest, mesh.rest)
    assert np.allclose(after.attribute(Domain.POINT, "color"), mesh.attribute(Domain.POINT, "color"))
    assert evaluate(again, 1003)["Hull"].topology is evaluate(again, 1005)["Hull"].topology


def with_shape_of_its_own(project):
    made = Shape("grid", "Grid", Grid(1.0, 1.0, 1, 1))
    return project.with_scene(structs.replace(project.scene, shapes=(*project.scene.shapes, made)))


def test_copies_are_the_same_without_their_file(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    project = imported(path)
    before = {frame: evaluate(project, frame)["Buoys"] for frame in (1001, 1004, 1006.5, 1010)}
    made = embedded(project, named(project, "Buoys"))
    path.unlink()
    close_all()
    file.save(made, tmp_path / "a.estompe")
    again = file.load(tmp_path / "a.estompe")
    for frame, copies in before.items():
        after = evaluate(again, frame)["Buoys"]
        assert np.allclose(after.positions, copies.positions, atol=1e-5)
        assert np.allclose(after.axes, copies.axes, atol=1e-6)
        assert np.allclose(after.scales, copies.scales, atol=1e-6)
        assert after.ids.tolist() == copies.ids.tolist() == [7, 8, 9]
        assert after.shown.tolist() == copies.shown.tolist() == [True, False, True]
        assert np.array_equal(after.forms[0].points, copies.forms[0].points)
        assert np.allclose(after.points, copies.points, atol=1e-5)
    frames = evaluate(again, 1003)["Buoys"], evaluate(again, 1005)["Buoys"]
    assert frames[0].forms[0] is frames[1].forms[0]


def test_damaged_copies_are_told_at_the_shape(tmp_path):
    project = imported(shots.boat_stage(tmp_path / "boat.usda"))
    buoys = named(project, "Buoys")
    made = embedded(project, buoys)
    source = next(shape.source for shape in made.scene.shapes if shape.id == buoys)
    wrong = structs.replace(source, ids=source.frames.positions)
    damaged = made.with_scene(edits.put(made.scene, ("shapes", buoys, "source"), wrong))
    problems = evaluate(damaged, 1001).problems
    assert any("do not fit together" in problem.text for problem in problems)


def test_skinned_points_are_stored_as_they_are_seen(tmp_path):
    path = shots.skinned_stage(tmp_path / "mast.usda")
    project = imported(path)
    wanted = evaluate(project, 10)["Skin"].points
    made = embedded(project, named(project, "Skin"))
    assert np.allclose(evaluate(made, 10)["Skin"].points, wanted, atol=1e-5)


def test_what_cannot_be_embedded_says_why(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    stage = Usd.Stage.Open(str(path))
    splash = shots.define_mesh(stage, "/World/Splash")
    for frame, count in ((1001, 4), (1002, 3)):
        splash.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE[:count]), frame)
        splash.GetFaceVertexCountsAttr().Set([count], frame)
        splash.GetFaceVertexIndicesAttr().Set(list(range(count)), frame)
    sheared = UsdGeom.Xform.Define(stage, "/World/Tilted")
    sheared.AddTransformOp().Set(Gf.Matrix4d(1, 0, 0, 0, 0.7, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1))
    shots.define_mesh(stage, "/World/Tilted/Slab")
    stage.Save()
    project = imported(path)
    crowd = UsdGeom.PointInstancer.Get(stage, "/World/Buoys")
    for frame, ids in ((1001, [7, 8, 9]), (1005, [7, 9])):
        crowd.CreateProtoIndicesAttr().Set([0] * len(ids), frame)
        crowd.CreateIdsAttr().Set(ids, frame)
    crowd.CreatePositionsAttr().Set([(0, 0, 4), (400, 0, 0)], 1005)
    stage.Save()
    close_all()
    plain = with_shape_of_its_own(project)
    for name, words in (
        ("Grid", "only what was imported"),
        ("Buoys", "come, go or change"),
        ("Splash", "faces change over time"),
        ("Slab", "sheared"),
    ):
        with pytest.raises(ShotError, match=words):
            embedded(plain, named(plain, name))
