"""Making it land: when it happens, what moves it there, and words where nothing does."""

import json

import numpy as np
import pytest
from tests.remembering import LAST, source, watched

from estompe.analysis.landing import Aim, CannotLandError, Landing, aim_at
from estompe.cli import main
from estompe.document import edits, file
from estompe.evaluation import evaluate
from estompe.kinds.numbers import Formula, Key, Keyed

_RISE = ("falloffs", "watching", "layers", "layer-0", "source", "rise")


def _share(project, frame, strength=0.5):
    values = evaluate(project, frame).strength("sheet", "watching")
    return float((values > strength).mean())


def _plain(**falloff):
    """Strengths that rise evenly from left to right: a plane goes over the sheet, at one half in the middle."""
    project = watched(source("sweep", "lamp", "x"), keys=((1, -0.6), (LAST, 0.6)), **falloff)
    scene = edits.put(project.scene, ("falloffs", "watching", "range", "full"), -0.1)
    return project.with_scene(edits.put(scene, ("falloffs", "watching", "range", "gone"), 0.1))


def test_when_it_happens_now_against_the_closed_form():
    # The plane is at x on frame 1 + 39 (x + 0.6) / 1.2, and one half of the strength lies on the plane.
    for share, x in ((0.5, 0.0), (0.25, -0.25), (0.75, 0.25)):
        now = Landing(_plain(), Aim("sheet", "watching", share=share)).now()
        assert now == pytest.approx(1 + 39 * (x + 0.6) / 1.2, abs=39 / 1.2 / 24)
    project = _plain()
    points = evaluate(project, 1)["sheet"].rest
    for element in (5, 300, 570):
        now = Landing(project, Aim("sheet", "watching", element=element)).now()
        assert now == pytest.approx(1 + 39 * (points[element, 0] + 0.6) / 1.2, abs=1e-2)


@pytest.mark.parametrize("kind", ["plain", "timed", "keyed", "spread", "after-glow"])
@pytest.mark.parametrize("by", [6.0, -4.0])
def test_each_proposal_lands_on_the_frame(kind, by):
    made = {
        "plain": _plain,
        "timed": lambda: _plain(at_frame=Formula("frame - 3")),
        "keyed": lambda: _plain(at_frame=Keyed((Key(1, 1.0, "linear"), Key(LAST, float(LAST), "linear")))),
        "spread": lambda: watched(source("spread", "near", 0.1, 6.0)),
        "after-glow": lambda: watched(source("after-glow", "near", 3.0)),
    }[kind]()
    share = 0.15 if kind == "after-glow" else 0.5
    landing = Landing(made, Aim("sheet", "watching", share=share))
    frame = round(landing.now() + by)
    found = list(landing.proposals(frame))
    assert len(found) >= 2
    for way in found:
        assert way.lands == pytest.approx(frame, abs=0.05), way.label
        assert _share(made.with_scene(way.scene), frame + 0.06) >= share - 1e-6
        assert _share(made.with_scene(way.scene), frame - 0.1) < share


def test_shifting_the_falloff_gives_the_strengths_of_that_frame_to_the_bit():
    project = watched(source("spread", "near", 0.1, 6.0))
    landing = Landing(project, Aim("sheet", "watching"))
    way = next(landing.proposals(30))
    there = evaluate(project.with_scene(way.scene), 30).strength("sheet", "watching")
    by = float(way.scene.falloffs[1].at_frame.text.split("-")[1])
    assert np.array_equal(there, evaluate(project, 30 - by).strength("sheet", "watching"))


def test_any_one_number_is_solved_within_its_limits():
    project = watched(source("spread", "near", 0.1, 6.0))
    landing = Landing(project, Aim("sheet", "watching"))
    frame = round(landing.now()) + 3
    way = landing.with_number(_RISE, frame)
    assert edits.get(way.scene, _RISE) < 6.0
    assert _share(project.with_scene(way.scene), frame) >= 0.5
    assert _share(project.with_scene(way.scene), frame - 1) < 0.5
    with pytest.raises(CannotLandError, match="no value of"):
        landing.with_number((*_RISE[:-1], "varied"), 2)
    with pytest.raises(CannotLandError, match="no number"):
        landing.with_number((*_RISE[:-1], "seed"), 20)


def test_what_is_never_reached_says_what_comes_nearest():
    project = watched(source("stays", "near"))
    with pytest.raises(CannotLandError, match=r"never reached: \d+ % is the most past 0.5, on frame \d+"):
        Landing(project, Aim("sheet", "watching", share=0.99)).now()
    with pytest.raises(CannotLandError, match="there is no element 9999"):
        Landing(project, Aim("sheet", "watching", element=9999)).now()
    with pytest.raises(CannotLandError, match="not in the shot"):
        list(Landing(project, Aim("sheet", "watching", share=0.1)).proposals(500))
    with pytest.raises(CannotLandError, match="there is no falloff"):
        aim_at(project, "Sheet", "Nothing")


def test_a_brief_moment_between_coarse_looks_is_found():
    keys = ((1, -0.9), (17, -0.9), (18, 0.0), (19, 0.9), (400, 0.9))
    project = watched(source("falloff", "near"), keys=keys)
    project = project.with_scene(edits.put(project.scene, ("last",), 400))
    now = Landing(project, Aim("sheet", "watching", share=0.05)).now()
    assert 17 < now < 18.5


def test_courses_are_shown_before_one_is_taken():
    landing = Landing(_plain(), Aim("sheet", "watching"))
    course = dict(landing.course())
    assert set(course) == set(map(float, range(1, LAST + 1)))
    assert course[1.0] == 0.0
    assert course[float(LAST)] == 1.0
    assert list(course.values()) == sorted(course.values())


def test_from_the_command_line(tmp_path, capsys):
    project = watched(source("spread", "near", 0.1, 6.0))
    file.save(project, tmp_path / "a.estompe")
    words = ["land", str(tmp_path / "a.estompe"), "--shape", "Sheet", "--falloff", "Watching", "--frame", "25"]
    assert main([*words, "--take", "1", "--save", str(tmp_path / "b.estompe")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["now"] < 25
    assert all(abs(way["lands"] - 25) < 0.05 for way in told["ways"])
    assert _share(file.load(tmp_path / "b.estompe"), 25.1) >= 0.5
    for more in (["--share", "2"], ["--take", "1"], ["--number", "Nothing.at.all"], ["--element", "100000"]):
        assert main([*words, *more]) == 2
    assert "Traceback" not in capsys.readouterr().err
