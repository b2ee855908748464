"""Names of files that begin with a variable, roots that differ between machines, and scenes handed on with all they read."""

import json
import shutil
import zipfile

import numpy as np
import pytest
from PIL import Image as Bitmap

import estompe as es
from estompe.cli import main
from estompe.document import edits, file
from estompe.document.paths import files_of, pictures_of, relinked
from estompe.document.scene import Layer
from estompe.evaluation import CancelledError, evaluate
from estompe.exchange.usd.over import write_over
from estompe.falloffs.image import Image
from estompe.files import places
from estompe.files.progress import ExchangeError
from estompe.setups.collecting import collect, files_used
from tests.shots import boat_stage, new_stage


def quiet(_fraction, _text):
    """No progress."""


@pytest.fixture
def shot(tmp_path):
    """A scene that reads a stage and a picture in folders beside each other, saved in a third."""
    for name in ("stages", "maps", "scenes"):
        (tmp_path / name).mkdir()
    boat_stage(tmp_path / "stages" / "boat.usda")
    Bitmap.new("RGB", (4, 4), (200, 100, 50)).save(tmp_path / "maps" / "grain.png")
    scene = es.Scene()
    scene.import_shot(tmp_path / "stages" / "boat.usda")
    grain = scene.falloff("Grain")
    layer = Layer("grain", Image(str(tmp_path / "maps" / "grain.png")))
    scene.project = scene.project.with_scene(
        edits.insert(scene.project.scene, ("falloffs", str(grain), "layers"), layer)
    )
    file.save(scene.project, tmp_path / "scenes" / "crossing.estompe")
    return tmp_path


def points(project, number=4):
    frame = evaluate(project, number)
    assert frame.problems == ()
    return [frame[name].points for name in frame]


@pytest.mark.parametrize(
    ("name", "place"),
    [("$REEL/a.usd", "/mnt/reel/a.usd"), ("${REEL}/a.usd", "/mnt/reel/a.usd"), ("~/a.usd", "/home/hand/a.usd"),
     ("$NOT_SET/a.usd", "$NOT_SET/a.usd"), ("/plain/a.usd", "/plain/a.usd"), ("/old/shots/a.usd", "/new/a.usd"),
     ("/old/shotsaway/a.usd", "/old/shotsaway/a.usd")],
)  # fmt: skip
def test_names_are_expanded_and_roots_replaced(monkeypatch, name, place):
    monkeypatch.setenv("REEL", "/mnt/reel")
    monkeypatch.setenv("HOME", "/home/hand")
    monkeypatch.setenv(places.MAP, "")
    places.map_roots(["/old/shots=/new/"])
    assert places.place_of(name) == place
    assert places.missing_variables(places.place_of(name)) == (["NOT_SET"] if "NOT_SET" in name else [])


def test_a_pair_of_roots_that_is_none_is_refused(monkeypatch, capsys):
    monkeypatch.setenv(places.MAP, "")
    for pair in ("", "/a", "=/b", "/a=", "/=/b"):
        assert main(["--map", pair, "check", "x.estompe"]) == 2
        assert "write FROM=TO" in capsys.readouterr().err
    assert places.roots() == []


def test_variables_stay_as_written_and_are_expanded_when_read(shot, monkeypatch):
    monkeypatch.setenv("REEL", str(shot / "stages"))
    scene = es.Scene()
    scene.import_shot("$REEL/boat.usda")
    assert files_of(scene.project.scene) == ("$REEL/boat.usda",)
    file.save(scene.project, shot / "scenes" / "open.estompe")
    again = file.load(shot / "scenes" / "open.estompe")
    assert files_of(again.scene) == ("$REEL/boat.usda",)
    before = points(again)
    (shot / "moved").mkdir()
    shutil.move(shot / "stages" / "boat.usda", shot / "moved" / "boat.usda")
    monkeypatch.setenv("REEL", str(shot / "moved"))
    assert all(np.array_equal(a, b) for a, b in zip(before, points(again), strict=True))
    monkeypatch.delenv("REEL")
    assert files_used(again.scene)[0].problem == "$REEL is not set"
    assert any("REEL" in problem.text for problem in evaluate(again, 4).problems)


def test_the_command_line_maps_roots(shot, monkeypatch, capsys):
    monkeypatch.setenv(places.MAP, "")
    (shot / "stages").rename(shot / "elsewhere")
    scene = str(shot / "scenes" / "crossing.estompe")
    assert main(["check", scene, "--frames", "4"]) == 4
    assert main(["check", scene, "--frames", "4", "--map", f"{shot}/stages={shot}/elsewhere"]) == 0
    capsys.readouterr()


def test_a_scene_keeps_names_unmapped_so_that_roots_are_mapped_once(shot, monkeypatch):
    monkeypatch.setenv(places.MAP, "")
    places.map_roots([f"/far={shot}/stages", f"{shot}/stages={shot}/nowhere"])
    scene = es.Scene()
    scene.import_shot("/far/boat.usda")
    assert files_of(scene.project.scene) == ("/far/boat.usda",)
    assert points(scene.project)
    write_over(scene.project, 1001, 1002, shot / "over.usda")
    assert "stages/boat.usda" in (shot / "over.usda").read_text()


def test_pictures_are_relative_to_the_scene_in_its_file(shot):
    written = json.loads(zipfile.ZipFile(shot / "scenes" / "crossing.estompe").read("scene.json"))
    assert written["scene"]["falloffs"][0]["layers"][0]["source"]["file"] == "../maps/grain.png"
    (shot / "other").mkdir()
    for name in ("stages", "maps", "scenes"):
        (shot / name).rename(shot / "other" / name)
    moved = file.load(shot / "other" / "scenes" / "crossing.estompe")
    assert pictures_of(moved.scene) == (str(shot / "other" / "maps" / "grain.png"),)


def test_a_collected_scene_needs_nothing_else(shot, capsys):
    scene, folder = shot / "scenes" / "crossing.estompe", shot / "handed on" / "crossing"
    before = points(file.load(scene))
    assert main(["collect", str(scene), "--to", str(folder)]) == 0
    assert "the scene and 2 of its files" in capsys.readouterr().out
    for name in ("stages", "maps", "scenes"):
        shutil.rmtree(shot / name)
    folder.rename(shot / "arrived")
    collected = file.load(shot / "arrived" / "crossing.estompe")
    assert all(np.array_equal(a, b) for a, b in zip(before, points(collected), strict=True))
    assert sorted(path.name for path in (shot / "arrived").rglob("*") if path.is_file()) == [
        "boat.usda", "crossing.estompe", "grain.png",
    ]  # fmt: skip


def test_layers_and_variants_come_along_and_whole_paths_are_told(shot):
    stage = new_stage(shot / "stages" / "harbour.usda")
    stage.GetRootLayer().subLayerPaths.append("./boat.usda")
    stage.Save()
    far = new_stage(shot / "maps" / "far.usda")
    far.GetRootLayer().subLayerPaths.append(str(shot / "stages" / "boat.usda"))
    far.Save()
    project = file.load(shot / "scenes" / "crossing.estompe")
    boat = str(shot / "stages" / "boat.usda")
    harbour = project.with_scene(relinked(project.scene, boat, str(shot / "stages" / "harbour.usda")))
    told = collect(harbour, shot / "a", "harbour", quiet)
    assert (told.files, told.notes) == (3, ())
    far = project.with_scene(relinked(project.scene, boat, str(shot / "maps" / "far.usda")))
    other = collect(far, shot / "b", "far", quiet)
    assert other.files == 3
    assert [note for note in other.notes if "boat.usda, which it names by its whole path" in note]


def test_nothing_is_put_into_a_folder_that_is_there_and_nothing_is_left_of_a_stopped_one(shot):
    project = file.load(shot / "scenes" / "crossing.estompe")
    with pytest.raises(ExchangeError, match="is there already"):
        collect(project, shot / "maps", "crossing", quiet)

    def stop(fraction, _text):
        if fraction > 0:
            raise CancelledError

    there = sorted(shot.iterdir())
    with pytest.raises(CancelledError):
        collect(project, shot / "new", "crossing", stop)
    assert sorted(shot.iterdir()) == there


def test_what_is_missing_is_listed_and_stays_as_it_is(shot, capsys):
    (shot / "maps" / "grain.png").unlink()
    assert main(["collect", str(shot / "scenes" / "crossing.estompe")]) == 0
    listed = capsys.readouterr().out.splitlines()
    assert listed[0].endswith("boat.usda")
    assert listed[1].endswith("grain.png  is not there")
    project = file.load(shot / "scenes" / "crossing.estompe")
    told = collect(project, shot / "c", "x", quiet)
    assert told.files == 1
    assert told.notes == (f"{shot / 'maps' / 'grain.png'} is not there",)
