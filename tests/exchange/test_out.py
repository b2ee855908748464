"""Exporting: USD read back with its own library, sequences, and no half files."""

import numpy as np
import pytest
from pxr import Tf, Usd, UsdGeom, UsdUtils
from tests.checking import failed_checks

from estompe.baking.frames import strength_name
from estompe.cli import main
from estompe.document import edits
from estompe.document.file import save
from estompe.document.scene import Layer
from estompe.evaluation import CancelledError, evaluate
from estompe.exchange import sequence
from estompe.exchange.writers import usd as usd_out
from estompe.falloffs.distance import Distance
from estompe.importing import ExchangeError, read_mesh


@pytest.fixture
def stage(tmp_path, small_sample):
    usd_out.write(small_sample, 10, 14, tmp_path / "quay.usda")
    return Usd.Stage.Open(str(tmp_path / "quay.usda"))


def test_usd_says_its_units_axis_and_rate(stage):
    assert UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1.0
    assert stage.GetTimeCodesPerSecond() == 24.0
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode()) == (10, 14)


def test_usd_points_normals_and_strengths_are_those_of_each_frame(stage, small_sample):
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Amphora"))
    primvars = UsdGeom.PrimvarsAPI(mesh)
    for number in range(10, 15):
        frame = evaluate(small_sample, number)
        assert np.array_equal(np.asarray(mesh.GetPointsAttr().Get(number)), frame["Amphora"].points)
        assert np.array_equal(np.asarray(mesh.GetNormalsAttr().Get(number)), frame["Amphora"].normals)
        strength = np.asarray(primvars.GetPrimvar("strength_Lantern_glow").Get(number))
        assert np.array_equal(strength, frame.strength("Amphora", "Lantern glow"))
    assert primvars.GetPrimvar("strength_Lantern_glow").GetInterpolation() == "vertex"


def test_usd_has_polygons_uvs_colour_and_camera(stage, small_sample):
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Quay"))
    topology = evaluate(small_sample, 10)["Quay"].topology
    assert np.array_equal(np.asarray(mesh.GetFaceVertexIndicesAttr().Get()), topology.corners)
    primvars = UsdGeom.PrimvarsAPI(mesh)
    assert len(primvars.GetPrimvar("st").Get()) == len(topology.corners)
    assert np.allclose(primvars.GetPrimvar("displayColor").Get()[0], small_sample.scene.shapes[1].color)
    camera = UsdGeom.Camera(stage.GetPrimAtPath("/World/Camera"))
    place = UsdGeom.Xformable(camera).ComputeLocalToWorldTransform(12).ExtractTranslation()
    assert np.allclose(place, small_sample.scene.camera.position, atol=1e-6)
    angle = camera.GetCamera(12).GetFieldOfView(camera.GetCamera(12).FOVVertical)
    assert angle == pytest.approx(28.0, abs=1e-4)


@pytest.mark.parametrize("ending", ["usda", "usdc"])
def test_usd_passes_its_own_compliance_check(tmp_path, small_sample, ending):
    usd_out.write(small_sample, 1, 2, tmp_path / f"c.{ending}")
    assert failed_checks(tmp_path / f"c.{ending}") == []
    assert UsdUtils.ExtractExternalReferences(str(tmp_path / f"c.{ending}")) == ([], [], [])


def test_the_compliance_check_can_fail(tmp_path):
    bad = tmp_path / "bad.usda"
    bad.write_text('#usda 1.0\ndef Mesh "M" {\n int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1]\n}\n')
    assert failed_checks(bad)


def test_usd_comes_back_in(tmp_path, small_sample):
    usd_out.write(small_sample, 30, 31, tmp_path / "again.usdc")
    mesh = read_mesh(tmp_path / "again.usdc")
    frame = evaluate(small_sample, 30)
    assert len(mesh.points) == len(frame["Amphora"].points) + len(frame["Quay"].points)
    assert np.array_equal(mesh.points[: len(frame["Amphora"].points)], frame["Amphora"].points)


def test_a_standstill_is_written_once_and_ends_where_motion_begins(tmp_path, small_sample):
    scene = edits.put(small_sample.scene, ("shapes", "quay", "effects"), ())
    usd_out.write(small_sample.with_scene(scene), 1, 20, tmp_path / "s.usda")
    stage = Usd.Stage.Open(str(tmp_path / "s.usda"))
    assert UsdGeom.Mesh(stage.GetPrimAtPath("/World/Quay")).GetPointsAttr().GetTimeSamples() == [1.0]


@pytest.mark.parametrize("form", ["obj", "ply"])
def test_sequences_hold_each_frame(tmp_path, small_sample, form):
    made = sequence.write(small_sample, 5, 7, tmp_path / "out", form)
    assert [path.name for path in made] == [f"{name}.{n:04d}.{form}" for name in ("amphora", "quay") for n in (5, 6, 7)]
    assert np.array_equal(read_mesh(made[1]).points, evaluate(small_sample, 6)["Amphora"].points)


def _cancel_at(fraction: float):
    def progress(done: float, _text: str) -> None:
        if done >= fraction:
            raise CancelledError

    return progress


def test_a_cancelled_export_leaves_nothing(tmp_path, small_sample):
    with pytest.raises(CancelledError):
        usd_out.write(small_sample, 1, 10, tmp_path / "x.usdc", _cancel_at(0.5))
    with pytest.raises(CancelledError):
        sequence.write(small_sample, 1, 10, tmp_path / "seq", "ply", _cancel_at(0.5))
    assert list(tmp_path.iterdir()) == []


def test_a_cancelled_export_leaves_the_file_before_as_it_was(tmp_path, small_sample):
    (tmp_path / "x.usdc").write_bytes(b"before")
    with pytest.raises(CancelledError):
        usd_out.write(small_sample, 1, 10, tmp_path / "x.usdc", _cancel_at(0.5))
    assert (tmp_path / "x.usdc").read_bytes() == b"before"


def test_a_scene_with_problems_is_not_baked(tmp_path, small_sample):
    layer = Layer("reach", Distance("nobody"))
    scene = edits.put(small_sample.scene, ("falloffs", "lantern-glow", "layers"), (layer,))
    with pytest.raises(ExchangeError, match="“Lantern glow”: Distance: it looks at a control that is not in the scene"):
        usd_out.write(small_sample.with_scene(scene), 1, 2, tmp_path / "x.usdc")
    assert list(tmp_path.iterdir()) == []


def test_targets_that_cannot_be_written(tmp_path, small_sample):
    with pytest.raises(ExchangeError, match="there is no folder"):
        usd_out.write(small_sample, 1, 2, tmp_path / "no" / "x.usdc")
    with pytest.raises(ExchangeError, match=r"ends in \.usdc"):
        usd_out.write(small_sample, 1, 2, tmp_path / "x.abc")
    (tmp_path / "file").touch()
    with pytest.raises(ExchangeError, match="is a file, not a folder"):
        sequence.write(small_sample, 1, 2, tmp_path / "file", "obj")
    with pytest.raises(ExchangeError, match="the last comes before the first"):
        usd_out.write(small_sample, 5, 2, tmp_path / "x.usdc")


@pytest.mark.parametrize("name", ["Lantern glow", "Flut-Höhe", "日本", "9 lives", "a.b", ""])
def test_strengths_are_called_alike_in_every_format(name):
    assert strength_name(name, ()) == Tf.MakeValidIdentifier(f"strength_{name}")
    assert strength_name(name, {strength_name(name, ())}) == f"{strength_name(name, ())}_2"


def test_samples_between_frames_are_those_of_their_moment(tmp_path, small_sample):
    usd_out.write(small_sample, 40, 42, tmp_path / "fine.usda", per_frame=4)
    stage = Usd.Stage.Open(str(tmp_path / "fine.usda"))
    points = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Amphora")).GetPointsAttr()
    assert points.GetTimeSamples() == [40 + number / 4 for number in range(9)]
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode()) == (40, 42)
    for moment in (40.25, 41.5, 42.0):
        assert np.array_equal(np.asarray(points.Get(moment)), evaluate(small_sample, moment)["Amphora"].points)


def test_several_samples_a_frame_are_for_usd_alone(tmp_path, small_sample, capsys):
    save(small_sample, tmp_path / "a.estompe")
    for words, said in (
        (["--out", str(tmp_path / "a.usda"), "--samples-per-frame", "0"], "use 1 to 64"),
        (["--out", str(tmp_path / "meshes"), "--as", "obj", "--samples-per-frame", "2"], "are for USD"),
        (["--out", str(tmp_path / "b.usda"), "--samples-per-frame", "2", "--machines", "2"], "one machine alone"),
    ):
        assert main(["bake", str(tmp_path / "a.estompe"), "--frames", "1-2", *words]) == 1
        assert said in capsys.readouterr().err
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.estompe"]
