"""The command line as a person uses it: results, one-line errors, no traceback, no half files."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from PIL import Image
from pxr import Usd

from estompe.cli import main
from estompe.commands.errors import FAILED, USAGE
from estompe.document import file
from estompe.exchange.writers import obj
from estompe.samples import SAMPLES, sample
from estompe.shapes import primitives


@pytest.fixture
def scene(tmp_path, small_sample) -> Path:
    file.save(small_sample, tmp_path / "tide.estompe")
    return tmp_path / "tide.estompe"


def _run(*words: object) -> int:
    return main([str(word) for word in words])


def test_samples_are_listed_and_saved(tmp_path, capsys):
    assert _run("sample", "--list") == 0
    assert [line.split("\t")[0] for line in capsys.readouterr().out.splitlines()] == [item.name for item in SAMPLES]
    assert _run("sample", "lantern-amphora", "--save", tmp_path / "l.estompe") == 0
    assert file.load(tmp_path / "l.estompe").scene.last == 144


def test_info_is_one_json_object(scene, capsys):
    assert _run("info", scene) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["frames"] == {"first": 1, "last": 144, "per_second": 24.0}
    assert [shape["name"] for shape in told["shapes"]] == ["Amphora", "Quay"]
    assert told["shapes"][0]["points"] > 300
    assert told["shapes"][0]["effects"] == [{"kind": "push", "enabled": True, "falloffs": ["Lantern glow"]}]
    assert told["controls"][0] == {"name": "Lantern", "form": "sphere"}
    assert told["falloffs"][0] == {"name": "Lantern glow", "layers": ["distance", "noise"]}


def test_info_counts_copies_pieces_and_strands(tmp_path, capsys):
    counts = {}
    for name, shape in (("plankton", "Plankton"), ("amphora-shards", "Amphora"), ("signal-arcs", "Signal arcs")):
        path = tmp_path / f"{name}.estompe"
        file.save(sample(name).build(0.05), path)
        assert _run("info", path, "--frame", "58") == 0
        told = json.loads(capsys.readouterr().out)
        counts[name] = next(item for item in told["shapes"] if item["name"] == shape)
    assert counts["plankton"]["copies"] == 31 * 13
    assert counts["plankton"]["effects"][1]["acts_on"] == "pieces"
    assert (counts["amphora-shards"]["pieces"], counts["amphora-shards"]["piece"]) == (100, "cell")
    assert (counts["signal-arcs"]["pieces"], counts["signal-arcs"]["piece"]) == (24, "strand")


def test_info_takes_a_mesh_too(tmp_path, capsys):
    obj.write_mesh(primitives.sphere(1, 4), "sphere", tmp_path / "b.obj")
    assert _run("info", tmp_path / "b.obj") == 0
    assert json.loads(capsys.readouterr().out)["shapes"][0]["faces"] == 96


@pytest.mark.parametrize("ending", ["usdc", "usda"])
def test_bake_to_usd(scene, tmp_path, ending):
    assert _run("bake", scene, "--frames", "3-5", "--out", tmp_path / f"x.{ending}") == 0
    assert Usd.Stage.Open(str(tmp_path / f"x.{ending}")).GetEndTimeCode() == 5


def test_bake_to_sequences(scene, tmp_path):
    for form in ("obj", "ply"):
        assert _run("bake", scene, "--frames", "7", "--out", tmp_path / form, "--as", form) == 0
        assert sorted(path.name for path in (tmp_path / form).iterdir()) == [
            f"amphora.0007.{form}",
            f"quay.0007.{form}",
        ]


def test_render(scene, tmp_path):
    plain, shown = tmp_path / "p.png", tmp_path / "s.png"
    assert _run("render", scene, "--frame", 60, "--size", "320x200", "--out", plain) == 0
    words = ("--show", "strength", "--falloff", "Lantern glow")
    assert _run("render", scene, "--frame", 60, "--size", "320x200", "--out", shown, *words) == 0
    with Image.open(plain) as first, Image.open(shown) as second:
        assert first.size == (320, 200)
        assert first.tobytes() != second.tobytes()


WRONG = {
    "missing": (["info", "nowhere.estompe"], "nowhere.estompe: there is no such file"),
    "folder": (["info", "."], ".: is a folder"),
    "ending": (["info", "{tmp}/x.xyz"], "“.xyz” is not a known ending"),
    "sample": (["sample", "storm"], "there is no sample “storm”; there are: lantern-amphora"),
    "sample name": (["--sample", "storm"], "there is no sample “storm”"),
    "frames": (["bake", "{scene}", "--frames", "a-b", "--out", "{tmp}/x.usdc"], "--frames a-b: write frames as A-B"),
    "backwards": (["bake", "{scene}", "--frames", "9-2", "--out", "{tmp}/x.usdc"], "the last comes before the first"),
    "target": (["bake", "{scene}", "--out", "{tmp}/x.mov"], "end it in .usdc or .usda or .usd, or say --as"),
    "no folder": (["bake", "{scene}", "--out", "{tmp}/no/x.usdc"], "there is no folder"),
    "size": (["render", "{scene}", "--size", "big", "--out", "{tmp}/x.png"], "--size big: write it as WIDTHxHEIGHT"),
    "enormous": (["render", "{scene}", "--size", "99999x1", "--out", "{tmp}/x.png"], "each 1 to 16384"),
    "picture": (["render", "{scene}", "--out", "{tmp}/x.gif"], "end it in .png or .exr"),
    "falloff": (
        ["render", "{scene}", "--show", "strength", "--falloff", "Fog", "--out", "{tmp}/x.png"],
        "there is no falloff “Fog”; there are: Lantern glow, Swell",
    ),
    "which falloff": (["render", "{scene}", "--show", "strength", "--out", "{tmp}/x.png"], "needs --falloff NAME"),
    "unwritable": (["render", "{scene}", "--out", "{tmp}/no/x.png"], "cannot be written"),
    "option": (["bake", "{scene}", "--loud"], "see `estompe bake --help`"),
    "nothing to open": (["nowhere.obj"], "nowhere.obj: there is no such file"),
    "save where": (["sample", "lantern-amphora"], "say where to write the sample"),
    "save as what": (["sample", "lantern-amphora", "--save", "{tmp}/x.zip"], "a scene file ends in .estompe"),
}  # fmt: skip


FAILING = {"missing", "folder", "ending", "no folder"}
"""Those of them that are called rightly, and cannot be done."""


@pytest.mark.parametrize("name", WRONG)
def test_errors_are_one_line_and_leave_nothing(scene, tmp_path, capsys, name):
    words, text = WRONG[name]
    (tmp_path / "x.xyz").write_text("?")
    before = sorted(tmp_path.rglob("*"))
    assert _run(*(word.format(scene=scene, tmp=tmp_path) for word in words)) == (FAILED if name in FAILING else USAGE)
    told = capsys.readouterr().err
    assert text in told
    assert told.count("\n") == 1
    assert told.startswith("estompe: ")
    assert sorted(tmp_path.rglob("*")) == before


def test_without_a_display_the_window_says_so(monkeypatch, capsys):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert _run() == USAGE
    assert "there is no display" in capsys.readouterr().err


def test_as_a_program(scene):
    done = subprocess.run(
        [sys.executable, "-m", "estompe.cli", "info", scene], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0
    assert json.loads(done.stdout)["shapes"]
    broken = subprocess.run(
        [sys.executable, "-m", "estompe.cli", "info", "/"], capture_output=True, text=True, check=False
    )
    assert broken.returncode == FAILED
    assert "Traceback" not in broken.stderr


def test_preparing_compiles_and_says_how_long_it_took():
    done = subprocess.run(
        [sys.executable, "-m", "estompe.cli", "prepare"], capture_output=True, text=True, check=False, timeout=600
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.startswith("the kernels are ready (")
