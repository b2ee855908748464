"""Commands as a farm manager or a script calls them: frames, codes, JSON, checks, watching and completion."""

import json
import subprocess
import sys
import threading

import pytest
from pxr import Usd

from estompe.cli import main
from estompe.commands import NAMES
from estompe.commands.completion import SHELLS
from estompe.commands.errors import CANCELLED, DONE, FAILED, PROBLEMS, USAGE, UsageError
from estompe.commands.frame_numbers import frame_numbers, frame_range
from estompe.commands.telling import Teller
from estompe.document import edits, file
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Route, Scene, Shape
from estompe.effects.push import Push
from estompe.falloffs.distance import Distance
from estompe.output.pictures import file_of
from estompe.samples import sample
from estompe.shapes.sphere import Sphere


@pytest.fixture
def scene(tmp_path):
    path = tmp_path / "tide.estompe"
    file.save(sample("lantern-amphora").build(0.05), path)
    return path


@pytest.fixture
def broken(tmp_path):
    """A scene in which two effects need what is gone."""
    effects = tuple(EffectSlot(name, Push(0.1), (Route("gone"),)) for name in ("a", "b"))
    path = tmp_path / "broken.estompe"
    file.save(Project(Scene((Shape("ball", "Ball", Sphere(0.5, 6), effects=effects),), first=1, last=3)), path)
    return path


def run(*words) -> int:
    return main([str(word) for word in words])


@pytest.mark.parametrize(("text", "numbers"), [
    ("5", [5]), ("1-4", [1, 2, 3, 4]), ("1-10x3", [1, 4, 7, 10]), ("3,1,3", [1, 3]), ("-2-1", [-2, -1, 0, 1]),
    ("1-3,20.5,9", [1, 2, 3, 9, 20.5]), ("-5", [-5]), ("10-12x5", [10]),
])  # fmt: skip
def test_frames_are_read_as_ranges_steps_and_single_ones(text, numbers):
    assert frame_numbers(text, 1, 9) == numbers


@pytest.mark.parametrize("text", ["", "a", "1-", "9-2", "1-5x0", "1.5-3", "1,,2", "1-9999999", "1e3"])
def test_what_is_no_frames_is_refused(text):
    with pytest.raises(UsageError, match="--frames"):
        frame_numbers(text, 1, 9)


def test_frames_that_must_follow_each_other():
    assert frame_range(None, 2, 6) == (2, 6)
    assert frame_range("3-5", 2, 6) == (3, 5)
    assert frame_range("4,5", 2, 6) == (4, 5)
    for text in ("1-9x2", "1,3", "2.5"):
        with pytest.raises(UsageError, match="follow each other"):
            frame_range(text, 2, 6)


def test_chosen_frames_of_a_sequence_are_drawn_a_fraction_too(scene, tmp_path):
    out = tmp_path / "p.####.png"
    assert run("render", scene, "--frames", "2-6x2,3.5", "--size", "40x30", "--out", out) == DONE
    assert sorted(path.name for path in tmp_path.glob("*.png")) == [
        "p.0002.png",
        "p.0003.5.png",
        "p.0004.png",
        "p.0006.png",
    ]
    assert file_of(out, -1.25).name == "p.-002.75.png"


def test_runs_of_other_frames_of_one_sequence_write_at_once(scene, tmp_path):
    codes = []
    words = [str(scene), "--size", "40x30", "--out", str(tmp_path / "p.####.png")]
    command = [sys.executable, "-m", "estompe.cli", "render", *words, "--frames"]
    running = [subprocess.Popen([*command, frames], stdout=subprocess.DEVNULL) for frames in ("1-3", "4-6")]
    codes = [process.wait(200) for process in running]
    assert codes == [DONE, DONE]
    assert len(list(tmp_path.glob("p.*.png"))) == 6
    assert not list(tmp_path.glob(".p.*json"))


def test_problems_are_told_as_a_list_with_a_code_of_their_own(broken, tmp_path, capsys):
    assert run("bake", broken, "--out", tmp_path / "x.usdc") == PROBLEMS
    told = capsys.readouterr().err.splitlines()
    assert told[0].startswith("estompe: the scene cannot be baked: “Ball”")
    assert len(told) == 3
    assert all(line.startswith("  “Ball”") for line in told[1:])
    assert run("render", broken, "--out", tmp_path / "x.png") == PROBLEMS
    assert run("render", broken, "--frames", "1-2", "--out", tmp_path / "x.##.png", "--size", "20x20") == PROBLEMS
    assert not list(tmp_path.glob("x*"))


def test_a_scene_with_problems_is_written_where_that_is_allowed(broken, tmp_path):
    assert run("bake", broken, "--out", tmp_path / "x.usdc", "--allow-problems") == DONE
    assert Usd.Stage.Open(str(tmp_path / "x.usdc")).GetEndTimeCode() == 3


def test_codes_tell_a_failure_a_wrong_call_and_a_cancelled_run_apart(scene, tmp_path, monkeypatch):
    assert run("info", tmp_path / "no.estompe") == FAILED
    assert run("bake", scene) == USAGE

    def stopped(*_):
        raise KeyboardInterrupt

    monkeypatch.setattr("estompe.commands.info.run", stopped)
    assert run("info", scene) == CANCELLED


def test_check_lists_every_problem_with_its_frames(scene, broken, capsys):
    assert run("check", scene, "--frames", "1-9x4") == DONE
    assert "3 frames, nothing is wrong" in capsys.readouterr().out
    assert run("check", broken) == PROBLEMS
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) == 2
    assert all(line.startswith("3 frames from 1 to 3: “Ball”") for line in lines)
    assert run("check", broken, "--json") == PROBLEMS
    listed = json.loads(capsys.readouterr().out)
    assert listed["frames"] == 3
    assert [item["frames"] for item in listed["problems"]] == [[1, 2, 3]] * 2


def test_a_problem_on_one_frame_alone_is_found_there(tmp_path, capsys):
    project = sample("lantern-amphora").build(0.05)
    falloff = project.scene.falloffs[0]
    path = ("falloffs", falloff.id, "layers", falloff.layers[0].id, "source")
    project = project.with_scene(edits.put(project.scene, path, Distance("gone")))
    file.save(project, tmp_path / "s.estompe")
    assert run("check", tmp_path / "s.estompe", "--frames", "7") == PROBLEMS
    assert "frame 7: “Lantern glow”" in capsys.readouterr().out


def test_progress_as_json_is_a_line_for_each_step(scene, tmp_path, capsys):
    assert run("bake", scene, "--frames", "1-4", "--out", tmp_path / "x.usdc", "--json") == DONE
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert lines[-1]["done"] is True
    fractions = [line["progress"] for line in lines[:-1]]
    assert fractions == sorted(fractions)
    assert fractions[0] == 0.0
    assert len(fractions) >= 4


def test_a_log_gets_a_line_now_and_then(monkeypatch, capsys):
    now = [0.0]
    monkeypatch.setattr("estompe.commands.telling.time.monotonic", lambda: now[0])
    tell = Teller()
    for second in range(31):
        now[0] = float(second)
        tell(second / 31, f"frame {second}")
    assert len(capsys.readouterr().err.splitlines()) == 3


def test_watching_writes_again_after_each_save(scene, tmp_path, capsys):
    out = tmp_path / "seen.usda"
    words = ["watch", scene, "--out", out, "--frames", "1-2", "--every", "0.05", "--times", "2"]
    watching = threading.Thread(target=run, args=words)
    watching.start()
    for _ in range(600):
        watching.join(0.1)
        if out.exists():
            break
    first = out.read_bytes()
    project = file.load(scene)
    place = ("shapes", project.scene.shapes[0].id, "transform", "position")
    file.save(project.with_scene(edits.put(project.scene, place, (0.0, 3.0, 0.0))), scene)
    watching.join(60)
    assert not watching.is_alive()
    assert out.read_bytes() != first
    assert capsys.readouterr().out.count("frames 1-2 in") == 2


@pytest.mark.parametrize("shell", SHELLS)
def test_completion_knows_every_command_and_option(shell, capsys):
    assert run("completion", shell) == DONE
    text = capsys.readouterr().out
    assert "render" in text
    assert "allow-problems" in text


def test_the_completion_for_bash_completes(tmp_path, capsys):
    run("completion", "bash")
    script = tmp_path / "it.bash"
    script.write_text(
        capsys.readouterr().out + '\nCOMP_WORDS=(estompe ren); COMP_CWORD=1; _estompe; echo "${COMPREPLY[@]}"\n'
    )
    done = subprocess.run(["bash", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "render"


def test_the_manual_page_has_every_command_option_and_code(capsys):
    assert run("manual") == DONE
    lines = capsys.readouterr().out.splitlines()
    assert [line[4:] for line in lines if line.startswith(".SS ")] == list(NAMES)
    assert r"\fB\-\-allow\-problems\fR" in lines
    assert [line for line in lines if line.startswith(".B ")][-5:] == [".B 0", ".B 1", ".B 2", ".B 3", ".B 4"]
    macros = {line.split()[0] for line in lines if line.startswith((".", "'"))}
    assert macros == {".TH", ".SH", ".SS", ".TP", ".B", ".br"}
    assert not [line for line in lines if not line]  # an empty line breaks a paragraph


def test_the_doctor_names_the_driver_libraries_folders_and_versions(capsys):
    assert run("doctor", "--json") == DONE
    found = json.loads(capsys.readouterr().out)
    assert found["graphics"]["driver"]
    assert found["packages"]["numpy"][0].isdigit()
    assert all(words == "there" or words.startswith("missing: install lib") for words in found["libraries"].values())
    assert "estompe" in found["folders"]["states"]
    assert run("doctor") == DONE
    assert "processors" in capsys.readouterr().out
