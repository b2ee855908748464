"""What a scene remembers, worked out from the command line, baked from, and kept with the scene."""

import json
import shutil

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from tests.remembering import LAST, source, watched

from estompe.baking.states import past_of, with_states, work_out
from estompe.cli import main
from estompe.document import edits, file
from estompe.evaluation import evaluate
from estompe.evaluation.time.state_files import default_folder
from estompe.files.progress import ExchangeError


def _run(*words: object) -> int:
    return main([str(word) for word in words])


@pytest.fixture
def scene(tmp_path):
    file.save(watched(source("spread", "near")), tmp_path / "rope.estompe")
    return tmp_path / "rope.estompe"


def _points(path, frame):
    stage = Usd.Stage.Open(str(path))
    mesh = next(prim for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    return np.array(UsdGeom.Mesh(mesh).GetPointsAttr().Get(frame))


def test_a_bake_goes_on_from_what_is_kept_and_gives_the_same(scene, tmp_path, capsys):
    assert _run("bake", scene, "--frames", "1-12", "--out", tmp_path / "a.usdc") == 0
    kept = len(list(default_folder().glob("*.state")))
    assert kept == 12
    assert _run("bake", scene, "--frames", "12-20", "--out", tmp_path / "b.usdc") == 0
    assert len(list(default_folder().glob("*.state"))) == 20
    assert _run("remember", scene, "--frames", "1-20") == 0
    assert "1 places remember: 20 states, 0 steps run now" in capsys.readouterr().out
    shutil.rmtree(default_folder())
    assert _run("bake", scene, "--frames", "20-20", "--out", tmp_path / "c.usdc") == 0
    assert np.array_equal(_points(tmp_path / "b.usdc", 20), _points(tmp_path / "c.usdc", 20))


def test_a_bake_from_the_cache_works_nothing_out(scene, tmp_path, capsys):
    assert _run("bake", scene, "--out", tmp_path / "a.usdc", "--from-cache") == 4
    told = capsys.readouterr().err
    assert "on frame 2" in told
    assert "not kept" in told
    assert not (tmp_path / "a.usdc").exists()
    assert _run("remember", scene, "--states", tmp_path / "states") == 0
    bake = ("bake", scene, "--from-cache", "--states", tmp_path / "states")
    assert _run(*bake, "--out", tmp_path / "a.usdc") == 0
    assert _run(*bake, "--out", tmp_path / "meshes", "--as", "ply", "--frames", "30-31") == 0
    assert len(list((tmp_path / "meshes").iterdir())) == 2


def test_states_in_the_scene_need_no_working_out_anywhere(scene, tmp_path, capsys):
    assert _run("remember", scene, "--into", tmp_path / "baked.estompe", "--every", "10") == 0
    assert "5 states are in" not in capsys.readouterr().err
    shutil.rmtree(default_folder())
    baked = file.load(tmp_path / "baked.estompe")
    assert 4 <= len(baked.scene.states) <= 6
    past = past_of(baked)
    there = evaluate(baked, 30, past.memo, None, past)
    assert past.steps == 0
    assert np.array_equal(there["sheet"].points, evaluate(file.load(scene), 30)["sheet"].points)
    evaluate(baked, 34, past.memo, None, past)
    assert past.steps == 4
    # An edit that matters makes them useless, and nothing wrong.
    changed = baked.with_scene(
        edits.put(baked.scene, ("falloffs", "watching", "layers", "layer-0", "source", "rise"), 9.0)
    )
    again = past_of(changed)
    evaluate(changed, 30, again.memo, None, again)
    assert again.steps == 29


def test_damaged_states_in_a_scene_are_passed_over(tmp_path):
    project = watched(source("spread", "near"))
    past = past_of(project, tmp_path / "a")
    work_out(past, 1, 12)
    baked = with_states(past)
    for name in list(baked.assets):
        baked.assets[name] = np.frombuffer(bytes(baked.assets[name])[:-3] + b"abc", np.uint8)
    again = past_of(baked, tmp_path / "b")
    made = evaluate(baked, 12, again.memo, None, again)
    assert not made.problems
    assert again.steps == 11


def test_what_cannot_be_worked_out_is_said(tmp_path):
    past = past_of(watched(source("spread", "lost")), tmp_path)
    with pytest.raises(ExchangeError, match="frame 1: Spread"):
        work_out(past, 1, LAST)


def test_bad_words_are_refused(scene, tmp_path, capsys):
    for words in (
        ("--every", "0"), ("--into", tmp_path / "x.usd"), ("--frames", "9-3"), ("--states", scene),
    ):  # fmt: skip
        assert _run("remember", scene, *words) == 2
    assert "Traceback" not in capsys.readouterr().err
    assert _run("info", scene) == 0
    assert json.loads(capsys.readouterr().out)["falloffs"][1]["layers"] == ["spread"]


def test_the_cache_says_when_it_cannot_be_written(scene, tmp_path, capsys, monkeypatch):
    blocked = tmp_path / "blocked"
    blocked.write_text("a file")
    monkeypatch.setenv("XDG_CACHE_HOME", str(blocked))
    assert _run("bake", scene, "--frames", "1-5", "--out", tmp_path / "a.usdc") == 0
    assert "cannot be kept in" in capsys.readouterr().err
    assert np.isfinite(_points(tmp_path / "a.usdc", 5)).all()
