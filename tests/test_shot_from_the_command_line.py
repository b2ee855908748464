"""A shot from the command line: imported, directed, written as an over, as pictures, as a movie and as a sheet."""

import json

import pytest
from pxr import Usd, UsdGeom

from estompe import cli
from estompe.document import file
from estompe.importing.footage import close_all
from tests import shots


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


@pytest.fixture
def boat(tmp_path):
    return shots.boat_stage(tmp_path / "boat.usda")


def told(capsys, *words):
    """What a command prints, once it went well."""
    code = cli.main([str(word) for word in words])
    out, err = capsys.readouterr()
    assert code == 0, err
    return out, err


def refused(capsys, *words):
    code = cli.main([str(word) for word in words])
    out, err = capsys.readouterr()
    assert code in (1, 2, 4)
    assert out == ""
    assert err.count("\n") == 1
    return err


def test_a_shot_is_listed_and_imported_with_what_a_person_should_know(boat, tmp_path, capsys):
    listed = json.loads(told(capsys, "import", boat, "--list")[0])
    assert {item["path"]: item["kind"] for item in listed["prims"]}["/World/Boat/Hull"] == "mesh"
    out, err = told(capsys, "import", boat, "--save", tmp_path / "a.estompe")
    assert out.startswith("1 transform, 1 mesh, 1 camera, 1 set of copies in")
    assert "lengths are scaled by 0.01" in err
    assert "/World/Moon (NurbsPatch)" in err
    scene = file.load(tmp_path / "a.estompe").scene
    assert (scene.first, scene.last, scene.frames_per_second) == (1001, 1010, 24.0)
    assert json.loads(told(capsys, "info", tmp_path / "a.estompe", "--frame", 1004)[0])["problems"] == []


def test_only_some_prims_and_into_a_scene_that_is_there(boat, tmp_path, capsys):
    told(capsys, "import", boat, "--only", "/World/Boat", "--save", tmp_path / "a.estompe")
    scene = file.load(tmp_path / "a.estompe").scene
    assert [shape.name for shape in scene.shapes] == ["Hull"]
    assert scene.camera.name == "Camera"
    told(
        capsys,
        "import",
        boat,
        "--only",
        "/World/Buoys,/World/Lamp",
        "--into",
        tmp_path / "a.estompe",
        "--save",
        tmp_path / "b.estompe",
    )
    scene = file.load(tmp_path / "b.estompe").scene
    assert [shape.name for shape in scene.shapes] == ["Hull", "Buoys"]
    assert [control.name for control in scene.controls] == ["Boat", "Lamp"]


def test_paths_are_relative_to_the_scene_and_go_along_with_it(boat, tmp_path, capsys):
    (tmp_path / "work").mkdir()
    told(capsys, "import", boat, "--save", tmp_path / "work" / "a.estompe")
    moved = tmp_path / "elsewhere"
    moved.mkdir()
    (tmp_path / "work").rename(moved / "work")
    boat.rename(moved / "boat.usda")
    assert json.loads(told(capsys, "info", moved / "work" / "a.estompe", "--frame", 1004)[0])["problems"] == []
    assert file.load(moved / "work" / "a.estompe").scene.shapes[0].source.file == str(moved / "boat.usda")


def test_the_sample_imports_its_stage_adds_effects_and_goes_out_as_an_over(tmp_path, capsys):
    told(capsys, "sample", "storm-crossing", "--save", tmp_path / "storm.estompe")
    assert (tmp_path / "storm-crossing.usdc").exists()
    told(capsys, "bake", tmp_path / "storm.estompe", "--frames", "40-42", "--over", "--out", tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    assert stage.GetRootLayer().subLayerPaths[0] == "./storm-crossing.usdc"
    assert stage.GetPrimAtPath("/Crossing/Materials/canvas")
    assert UsdGeom.Mesh.Get(stage, "/Crossing/Sea").GetPointsAttr().GetTimeSamples() == [40.0, 41.0, 42.0]
    hull = stage.GetRootLayer().GetPrimAtPath("/Crossing/Boat/Hull")
    assert hull is None, "nothing was changed there"


def test_pictures_movies_and_sheets_say_through_which_camera(boat, tmp_path, capsys):
    scene = tmp_path / "a.estompe"
    told(capsys, "import", boat, "--save", scene)
    frames = ("--frames", "1001-1002", "--size", "64x40")
    out, _ = told(
        capsys, "render", scene, *frames, "--out", tmp_path / "p.####.exr", "--layers", "depth,id", "--camera", "Camera"
    )
    assert out.startswith("2 pictures through Camera in")
    out, _ = told(capsys, "render", scene, *frames, "--out", tmp_path / "p.####.exr", "--layers", "depth,id")
    assert out.startswith("2 pictures")
    assert "through Camera" in told(capsys, "movie", scene, *frames, "--out", tmp_path / "m.webm")[0]
    told(capsys, "sheet", scene, "--vary", "Camera.view_angle=20,40", "--size", "64x40", "--out", tmp_path / "s.png")
    assert (tmp_path / "s.png").exists()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("import", "{tmp}/gone.usd", "--save", "{tmp}/a.estompe"), "there is no such file"),
        (
            ("import", "{boat}", "--only", "/World/Nobody", "--save", "{tmp}/a.estompe"),
            "there is no prim /World/Nobody in it",
        ),
        (("import", "{boat}"), "say where the scene goes"),
        (("import", "{boat}", "--save", "{tmp}/a.usd"), "say where the scene goes"),
        (("render", "{scene}", "--camera", "Nobody", "--out", "{tmp}/x.png"), "there is no camera “Nobody”"),
        (
            ("render", "{scene}", "--frames", "1-3", "--samples", "0", "--out", "{tmp}/x.##.png"),
            "use a number from 1 to 256",
        ),
        (
            ("render", "{scene}", "--frames", "1-3", "--shutter", "9", "--out", "{tmp}/x.##.png"),
            "use frames from 0 to 4",
        ),
        (("movie", "{scene}", "--size", "63x40", "--out", "{tmp}/x.mp4"), "must be even"),
        (("sheet", "{scene}", "--out", "{tmp}/x.png"), "say what the sheet shows"),
        (("sheet", "{scene}", "--variants", "all", "--out", "{tmp}/x.png"), "there is no variant"),
        (("sheet", "{scene}", "--vary", "Nobody.amount=1", "--out", "{tmp}/x.png"), "nothing here is called “Nobody”"),
        (("bake", "{scene}", "--only", "Nobody", "--out", "{tmp}/x.usdc"), "there is no shape “Nobody”"),
        (("bake", "{scene}", "--machines", "many", "--out", "{tmp}/x.usdc"), "use a number of processes"),
    ],
)
def test_what_cannot_be_done_is_one_line_and_leaves_nothing(boat, tmp_path, small_sample, capsys, words, said):
    scene = tmp_path / "scene.estompe"
    file.save(small_sample, scene)
    before = sorted(tmp_path.iterdir())
    assert said in refused(capsys, *(word.format(tmp=tmp_path, boat=boat, scene=scene) for word in words))
    assert sorted(tmp_path.iterdir()) == before
