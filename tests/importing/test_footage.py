"""Animated files, frame by frame: against the USD library and closed forms, and files that are not as they should be."""

import os
import time

import numpy as np
import pytest
from pxr import Gf, Usd, UsdGeom, Vt
from tests import shots

from estompe.geometry import Domain
from estompe.importing.footage import RestPose, close_all, opened
from estompe.importing.link import Link, Reading
from estompe.kinds.context import CannotEvaluateError

AT_FIRST = RestPose("", 1001.0)
TURN = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


def footage(path, metres=1.0, rate=24.0):
    return opened(Reading(str(path), metres, rate))


def test_what_a_stage_holds_is_listed_with_what_moves(tmp_path):
    about = footage(shots.boat_stage(tmp_path / "boat.usda")).about
    kinds = {entry.path: (entry.kind, entry.moves) for entry in about.entries}
    assert kinds == {
        "/World": ("transform", False),
        "/World/Boat": ("transform", True),
        "/World/Boat/Hull": ("mesh", True),
        "/World/Boat/Camera": ("camera", True),
        "/World/Lamp": ("transform", False),
        "/World/Buoys": ("copies", True),
        "/World/Moon": ("other", False),
    }
    assert (about.first, about.last, about.rate, about.up, about.metres_per_unit) == (1001, 1010, 24, "Z", 0.01)
    assert any("/World/Moon (NurbsPatch)" in note for note in about.notes)


@pytest.mark.parametrize("frame", [1001.0, 1004.0, 1006.5, 1010.0, 1020.0])
def test_points_and_places_in_the_world_are_those_of_the_library(tmp_path, frame):
    path = shots.boat_stage(tmp_path / "boat.usda")
    ours, stage = footage(path), Usd.Stage.Open(str(path))
    mesh = ours.geometry("/World/Boat/Hull", frame, AT_FIRST)
    matrix = ours.matrix("/World/Boat/Hull", frame)
    placed = mesh.points @ matrix[:3, :3].T + matrix[:3, 3]
    prim = UsdGeom.Mesh.Get(stage, "/World/Boat/Hull")
    world = np.array(UsdGeom.XformCache(frame).GetLocalToWorldTransform(prim.GetPrim()))
    theirs = np.asarray(prim.GetPointsAttr().Get(frame), np.float64) @ world[:3, :3] + world[3, :3]
    # Centimetres with Z up become metres with Y up.
    assert np.allclose(placed, theirs @ TURN.T * 0.01, atol=1e-5)
    assert np.array_equal(mesh.rest, ours.geometry("/World/Boat/Hull", 1001.0, AT_FIRST).points)


def test_what_does_not_move_is_the_same_object_on_every_frame(tmp_path):
    ours = footage(shots.boat_stage(tmp_path / "boat.usda"))
    first, later = (ours.geometry("/World/Boat/Hull", frame, AT_FIRST) for frame in (1001.0, 1005.0))
    assert first.topology is later.topology
    assert first.at_rest is later.at_rest
    assert first.attributes[Domain.CORNER, "uv"] is not None
    assert np.array_equal(first.attribute(Domain.FACE, "deck"), [True])
    assert np.allclose(first.attribute(Domain.POINT, "color")[3], [9 / 11, 10 / 11, 1.0])
    assert ours.geometry("/World/Boat/Hull", 1005.0, AT_FIRST) is later


def test_the_rest_can_be_another_frame_or_another_prim(tmp_path):
    path = tmp_path / "boat.usda"
    shots.boat_stage(path)
    stage = Usd.Stage.Open(str(path))
    shots.define_mesh(stage, "/World/Drawn", shots.SQUARE * 2)
    shots.define_mesh(stage, "/World/Three", shots.SQUARE[:3], (3,), (0, 1, 2))
    stage.Save()
    ours = footage(path)
    assert ours.geometry("/World/Boat/Hull", 1001.0, RestPose("", 1010.0)).rest[0, 1] == pytest.approx(0.9)
    drawn = ours.geometry("/World/Boat/Hull", 1004.0, RestPose("/World/Drawn", 1001.0))
    assert np.allclose(drawn.rest[:, 0], [0, 2, 2, 0])
    with pytest.raises(CannotEvaluateError, match="has 3 points and /World/Boat/Hull has 4"):
        ours.geometry("/World/Boat/Hull", 1004.0, RestPose("/World/Three", 1001.0))


def test_copies_come_in_as_copies_with_ids_and_what_is_hidden(tmp_path):
    ours = footage(shots.boat_stage(tmp_path / "boat.usda"))
    copies = ours.geometry("/World/Buoys", 1010.0, AT_FIRST)
    assert copies.ids.tolist() == [7, 8, 9]
    assert copies.shown.tolist() == [True, False, True]
    assert np.allclose(copies.positions, [[0, 0.09, 0], [2, 0, 0], [4, 0, 0]], atol=1e-6)
    # The form's own scale of one half is in the form.
    assert np.allclose(copies.forms[0].points[2], [0.5, 0, -0.5], atol=1e-6)


def test_native_instances_are_one_set_of_copies(tmp_path):
    ours = footage(shots.instanced_stage(tmp_path / "crates.usda"))
    (entry,) = [entry for entry in ours.about.entries if entry.kind == "copies"]
    assert (entry.path, entry.points) == ("/World/crate_0", 3)
    copies = ours.geometry(entry.path, 1.0, AT_FIRST)
    matrix = ours.matrix(entry.path, 1.0)
    assert np.allclose(copies.positions + matrix[:3, 3], [[0, 5, 0], [10, 5, 0], [20, 5, 0]])
    assert np.allclose(copies.forms[0].points, shots.SQUARE)


def test_skinned_points_and_blend_shapes_are_where_they_belong(tmp_path):
    ours = footage(shots.skinned_stage(tmp_path / "mast.usda"))
    assert ours.entry("/World/Mast/Skin").varies == ("points",)
    start = ours.geometry("/World/Mast/Skin", 1.0, RestPose("", 1.0))
    assert np.allclose(start.points, [[0, 0, 0], [1, 0, 0], [1, 2, 0], [0, 2, 0]], atol=1e-5)
    bent = ours.geometry("/World/Mast/Skin", 10.0, RestPose("", 1.0)).points
    # The upper row turns by 90 degrees about (0, 1, 0): (x, 2) goes to (-1, 1 + x). The first point is lifted by its blend shape.
    assert np.allclose(bent, [[0, 0, 3], [1, 0, 0], [-1, 2, 0], [-1, 1, 0]], atol=1e-5)


def test_a_gltf_file_moves_morphs_and_is_skinned(tmp_path):
    ours = footage(shots.animated_gltf(tmp_path / "flag.gltf"))
    kinds = {entry.path: (entry.kind, entry.moves) for entry in ours.about.entries}
    assert kinds["/Flag"] == ("mesh", True)
    assert kinds["/Bone"] == ("transform", True)
    assert (ours.about.first, ours.about.last) == (0.0, 1.0)
    half_way = 12.0
    assert ours.matrix("/Flag", half_way)[0, 3] == pytest.approx(1.0)
    assert np.allclose(ours.geometry("/Flag", half_way, RestPose("", 0.0)).points[:, 2], 0.5)
    sail, matrix = ours.geometry("/Sail", 24.0, RestPose("", 0.0)).points, ours.matrix("/Sail", 24.0)
    # A skinned mesh goes with its joints alone, whatever its node says.
    assert np.allclose(sail @ matrix[:3, :3].T + matrix[:3, 3], [[0, 0, 0], [0, 1, 0], [-1, 0, 0]], atol=1e-6)
    quarter = ours.geometry("/Sail", 12.0, RestPose("", 0.0)).points[1] + matrix[:3, 3]
    assert np.allclose(quarter, [np.sqrt(0.5), np.sqrt(0.5), 0], atol=1e-6)


def test_a_sequence_of_files_is_one_animated_mesh(tmp_path):
    ours = footage(shots.sequence(tmp_path), rate=30.0)
    assert (ours.about.first, ours.about.last) == (1, 4)
    rest = RestPose("", 1.0)
    heights = [float(ours.geometry("/mesh", frame, rest).points[0, 2]) for frame in (1.0, 2.5, 4.0, 9.0)]
    assert heights == pytest.approx([0.1, 0.25, 0.4, 0.4])
    assert ours.geometry("/mesh", 2.0, rest).topology is ours.geometry("/mesh", 3.0, rest).topology


def test_an_unreadable_frame_of_a_sequence_is_named_and_the_others_go_on(tmp_path):
    pattern = shots.sequence(tmp_path)
    ours = footage(pattern)
    (tmp_path / "swell.0003.obj").write_text("v 0 0 nonsense\n")
    ours = footage(pattern)
    with pytest.raises(CannotEvaluateError, match=r"swell.0003.obj.*frame 3"):
        ours.geometry("/mesh", 3.0, RestPose("", 1.0))
    assert ours.geometry("/mesh", 4.0, RestPose("", 1.0)).points[0, 2] == pytest.approx(0.4)


def test_gaps_in_a_sequence_are_told_and_blended(tmp_path):
    ours = footage(shots.sequence(tmp_path, (1, 2, 5)))
    assert "2 of its frames are missing" in ours.about.notes[0]
    assert ours.geometry("/mesh", 3.5, RestPose("", 1.0)).points[0, 2] == pytest.approx(0.35)


def test_a_topology_that_changes_has_its_own_faces_and_rest_on_each_frame(tmp_path):
    path = tmp_path / "splash.usda"
    stage = shots.new_stage(path)
    mesh = shots.define_mesh(stage, "/World/Splash")
    for frame, count in ((1, 4), (2, 3)):
        mesh.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE[:count]), frame)
        mesh.GetFaceVertexCountsAttr().Set([count], frame)
        mesh.GetFaceVertexIndicesAttr().Set(list(range(count)), frame)
    stage.Save()
    ours = footage(path)
    assert ours.entry("/World/Splash").varies == ("points", "topology")
    four, three = (ours.geometry("/World/Splash", frame, RestPose("", 1.0)) for frame in (1.0, 2.0))
    assert (len(four.points), len(three.points)) == (4, 3)
    assert np.array_equal(three.rest, three.points)


def test_a_file_that_changes_is_read_again_and_stands_for_something_else(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    before = footage(path)
    print_before = before.fingerprint
    assert footage(path) is before
    stage = Usd.Stage.Open(str(path))
    UsdGeom.Mesh.Get(stage, "/World/Boat/Hull").GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE + 7), 1001)
    stage.Save()
    os.utime(path, ns=(time.time_ns(), time.time_ns()))
    after = footage(path)
    assert after.fingerprint != print_before
    assert after.geometry("/World/Boat/Hull", 1001.0, AT_FIRST).points[0, 0] == pytest.approx(0.07)


def test_the_same_content_elsewhere_stands_for_the_same(tmp_path):
    (tmp_path / "other").mkdir()
    here = footage(shots.sequence(tmp_path))
    there = footage(shots.sequence(tmp_path / "other"))
    assert here.fingerprint == there.fingerprint


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("gone.usda", None, "no such file"),
        ("broken.usda", b"#usda 1.0\n(((", "damaged"),
        ("broken.usdc", b"PXR-USDC" + b"\0" * 200, "damaged"),
        ("sealed.usdz", b"PK\x03\x04" + b"\x01" * 300, "damaged"),
        ("broken.glb", b"glTF\x02\0\0\0", "damaged"),
        ("photo.jpg", b"x", "is not a known ending"),
    ],
)
def test_files_that_cannot_be_read_are_refused_in_words(tmp_path, name, content, words):
    if content is not None:
        (tmp_path / name).write_bytes(content)
    with pytest.raises(CannotEvaluateError, match=words):
        footage(tmp_path / name)


def test_missing_sublayers_are_named_and_the_rest_comes_in(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    layered = Usd.Stage.CreateNew(str(tmp_path / "shot.usda"))
    layered.GetRootLayer().subLayerPaths = ["./boat.usda", "./lighting.usda"]
    layered.GetRootLayer().Save()
    about = footage(tmp_path / "shot.usda").about
    assert any("lighting.usda" in note and "not there" in note for note in about.notes)
    assert any(entry.path == "/World/Boat/Hull" for entry in about.entries)
    assert str(path) in about.files


def test_faces_and_samples_that_do_not_match_are_told_with_the_frame(tmp_path):
    path = tmp_path / "bad.usda"
    stage = shots.new_stage(path)
    mesh = shots.define_mesh(stage, "/World/Bad")
    mesh.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE), 1)
    mesh.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(shots.SQUARE[:2]), 5)
    stage.Save()
    ours = footage(path)
    assert len(ours.geometry("/World/Bad", 1.0, RestPose("", 1.0)).points) == 4
    with pytest.raises(
        CannotEvaluateError, match=r"/World/Bad of bad.usda cannot be read on frame 5: a face names a point"
    ):
        ours.geometry("/World/Bad", 5.0, RestPose("", 1.0))


def test_a_camera_without_a_lens_says_so(tmp_path):
    path = tmp_path / "blind.usda"
    stage = shots.new_stage(path)
    UsdGeom.Camera.Define(stage, "/World/Blind").CreateFocalLengthAttr(0)
    stage.Save()
    with pytest.raises(CannotEvaluateError, match="has no lens"):
        footage(path).lens("/World/Blind", 1.0)


def test_a_lens_is_that_of_the_library(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    lens = footage(path).lens("/World/Boat/Camera", 1001.0)
    stage = Usd.Stage.Open(str(path))
    camera = UsdGeom.Camera.Get(stage, "/World/Boat/Camera").GetCamera(1001)
    assert lens.view_angle == pytest.approx(camera.GetFieldOfView(Gf.Camera.FOVVertical), rel=1e-6)
    assert lens.aspect == pytest.approx(camera.aspectRatio, rel=1e-6)
    assert lens.clipping == pytest.approx((0.1, 1000.0))


def test_a_camera_sees_upright_whatever_is_up_in_its_file(tmp_path):
    path = shots.boat_stage(tmp_path / "boat.usda")
    matrix = footage(path).matrix("/World/Boat/Camera", 1001.0)
    # It stands 5 m before the boat, 1.5 m up, and looks at it: along -Z with Y up, as the file's +Y with Z up.
    assert np.allclose(matrix[:3, 3], [0, 1.5, 5], atol=1e-6)
    assert np.allclose(matrix[:3, :3], np.eye(3), atol=1e-6)


def test_a_text_that_cannot_be_parsed_is_refused_with_its_line(tmp_path):
    path = tmp_path / "cut.usda"
    path.write_text('#usda 1.0\ndef Xform "w" {\n  double3 foo = (1, 2\n}\n')
    with pytest.raises(CannotEvaluateError, match="line 4, column 1, cannot be parsed"):
        footage(path)


def test_a_reader_that_dies_is_started_again_and_asked_the_same(tmp_path):
    shot = footage(shots.boat_stage(tmp_path / "boat.usda"))
    shot._link._child.kill()
    shot._link._child.wait()
    assert len(shot.geometry("/World/Boat/Hull", 1003.0, AT_FIRST).points) == 4


def test_a_reader_that_dies_of_every_question_is_an_error(tmp_path, monkeypatch):
    shot = footage(shots.boat_stage(tmp_path / "boat.usda"))
    ask = Link.ask

    def fatal(link, message, go_on=lambda: None):
        link._child.kill()
        link._child.wait()
        return ask(link, message, go_on)

    monkeypatch.setattr(Link, "ask", fatal)
    with pytest.raises(CannotEvaluateError, match="reading it failed"):
        shot.geometry("/World/Boat/Hull", 1003.0, AT_FIRST)


def test_a_broken_frame_ahead_fails_alone(tmp_path):
    path = tmp_path / "broken.usda"
    stage = Usd.Stage.CreateNew(str(path))
    stage.SetTimeCodesPerSecond(24)
    stage.SetStartTimeCode(1)
    stage.SetEndTimeCode(6)
    mesh = UsdGeom.Mesh.Define(stage, "/Sheet")
    mesh.CreateFaceVertexCountsAttr([3])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
    for frame in range(1, 7):
        height = float("nan") if frame == 4 else float(frame)
        mesh.CreatePointsAttr().Set(Vt.Vec3fArray([(0, 0, height), (1, 0, height), (0, 1, height)]), frame)
    stage.Save()
    ours, rest = footage(path), RestPose("", 1.0)
    for frame in (1.0, 2.0, 3.0):
        assert ours.geometry("/Sheet", frame, rest).points[0, 2] == frame
        time.sleep(0.3)  # it reads ahead meanwhile
    with pytest.raises(CannotEvaluateError, match="a position is not a number"):
        ours.geometry("/Sheet", 4.0, rest)
    assert ours.geometry("/Sheet", 5.0, rest).points[0, 2] == 5.0
    assert ours.alive
