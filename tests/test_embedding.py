"""Embedding a shot's shape: the same points and places without the file."""

import numpy as np
import pytest
from pxr import Gf, Usd, UsdGeom, Vt

from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluate import evaluate
from estompe.geometry import Domain
from estompe.importing.footage import close_all
from estompe.setups.embedding import embedded
from estompe.setups.shot import ShotError, listed, with_shot
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
    for name, words in (("Buoys", "only meshes"), ("Splash", "faces change over time"), ("Slab", "sheared")):
        with pytest.raises(ShotError, match=words):
            embedded(project, named(project, name))
