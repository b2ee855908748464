"""What is remembered: the same bits whatever was asked before, as many steps as differ, and words where it cannot go on."""

import os
import random
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from tests.remembering import EVERY_MEMORY, LAST, source, watched
from tests.scenes import one_push

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Route
from estompe.effects.cloth import Cloth
from estompe.effects.grow_by_steps import GrowBySteps
from estompe.effects.hide import Hide
from estompe.effects.ruffle import Ruffle
from estompe.effects.separate import Separate
from estompe.effects.set_loose import SetLoose
from estompe.effects.shed import Shed
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import CancelledError, Memo, evaluate
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import StateFolder
from estompe.kernels.compile import use_threads
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.kinds.registry import kinds
from estompe.kinds.remembering import Remembering
from estompe.shapes.sphere import Sphere

pytestmark = pytest.mark.thorough

_SWITCHING = (*EVERY_MEMORY, "lag")


def _values(project, frame, past=None):
    made = evaluate(project, frame, None if past is None else past.memo, None, past)
    assert not made.problems
    return made.strength("sheet", "watching"), made["sheet"].points


def _same(one, other):
    return all(np.array_equal(a, b) for a, b in zip(one, other, strict=True))


def _fed():
    """Memory that is fed by memory, and by a number that measures it."""
    project = watched(source("after-glow", "caught", 0.3))
    scene = edits.insert(
        project.scene, ("falloffs",), edits.get(watched(EVERY_MEMORY["spread"]()).scene, ("falloffs", "watching"))
    )
    caught = edits.get(scene, ("falloffs",))[-1]
    scene = edits.put(
        scene,
        ("falloffs",),
        (*scene.falloffs[:-1], type(caught)("caught", "Caught", caught.layers, caught.range, caught.ramp)),
    )
    half = Formula("0.1 + mean(Near, Sheet)")
    return project.with_scene(edits.put(scene, ("falloffs", "watching", "layers", "layer-0", "source", "half"), half))


@pytest.mark.parametrize("name", [*EVERY_MEMORY, "fed"])
def test_the_same_bits_in_every_order_of_asking_and_within_every_budget(name):
    project = _fed() if name == "fed" else watched(EVERY_MEMORY[name]())
    fresh = {frame: _values(project, frame) for frame in (1, 2, 7, 7.5, 20, 33, LAST)}
    hand = random.Random(name)
    for budget in (1 << 30, 40_000, 6_000):
        past = Past(project, Memo(), Keep(budget))
        for _ in range(12):
            frame = hand.choice(list(fresh))
            assert _same(_values(project, frame, past), fresh[frame]), (name, budget, frame)
        assert past.keep.used <= max(budget, 60_000)


@pytest.mark.parametrize("name", EVERY_MEMORY)
def test_one_thread_and_two_give_the_same_bits(name):
    project = watched(EVERY_MEMORY[name](), points=140)
    found = []
    for threads in (1, 2):
        use_threads(threads)
        found.append(_values(project, 12))
    use_threads(0)
    assert _same(*found)


def test_each_step_is_run_once_and_scrubbing_back_runs_none():
    project = watched(EVERY_MEMORY["spread"]())
    past = Past(project, Memo())
    for frame in (10, 30, 20, 5, 30):
        _values(project, frame, past)
    assert past.steps == 29


@pytest.mark.parametrize("at", [5, 18, 30])
def test_an_edit_that_matters_from_a_frame_on_repeats_only_what_comes_after(at):
    keys = [(1, -0.5), (at - 1, 0.0), (at, 0.05), (LAST, 0.4)]
    before = watched(EVERY_MEMORY["spread"](), keys=keys)
    keep, memo = Keep(), Memo()
    first = Past(before, memo, keep)
    _values(before, LAST, first)
    assert first.steps == LAST - 1
    keys[2] = (at, 0.08)
    after = watched(EVERY_MEMORY["spread"](), keys=keys)
    second = Past(after, memo, keep)
    made = _values(after, LAST, second)
    assert second.steps == LAST - at + 1
    assert _same(made, _values(after, LAST))
    place = next(iter(second.links))
    different = [frame for frame in range(1, LAST + 1) if first.links[place][frame] != second.links[place][frame]]
    assert different == list(range(at, LAST + 1))
    third = Past(before, memo, keep)
    _values(before, LAST, third)
    assert third.steps == 0


def test_what_does_not_matter_to_it_repeats_nothing():
    project = watched(EVERY_MEMORY["after-glow"]())
    keep, memo = Keep(), Memo()
    _values(project, 20, Past(project, memo, keep))
    scene = edits.put(project.scene, ("falloffs", "watching", "range", "full"), 0.9)
    scene = edits.put(scene, ("shapes", "sheet", "effects", "push", "effect", "amount"), 0.3)
    past = Past(project.with_scene(scene), memo, keep)
    _values(past.project, 20, past)
    assert past.steps == 0


def test_random_edits_leave_nothing_stale():
    """After each edit, what is kept and what is worked out from nothing are the same."""
    hand, keep, memo = random.Random(7), Keep(60_000), Memo()
    settings = {"spread": ("threshold", "rise", "varied"), "after-glow": ("half",)}
    project = watched(*(EVERY_MEMORY[name]() for name in ("spread", "after-glow")))
    scene = project.scene
    for _ in range(25):
        number, name = hand.choice(list(enumerate(settings)))
        path = ("falloffs", "watching", "layers", f"layer-{number}", "source", hand.choice(settings[name]))
        choice = hand.random()
        if choice < 0.4:
            scene = edits.put(scene, path, hand.choice((0.1, 0.2, 0.5)))
        elif choice < 0.7:
            moved = tuple(
                Key(float(frame), hand.uniform(0.05, 0.9), "linear") for frame in (1, hand.randrange(2, 15), 20)
            )
            scene = edits.put(scene, path, Keyed(moved))
        else:
            scene = edits.put(scene, ("falloffs", "near", "range", "gone"), hand.uniform(0.2, 0.4))
        now = project.with_scene(scene)
        frame = hand.choice((3, 8, 8.25, 15, 20))
        assert _same(_values(now, frame, Past(now, memo, keep)), _values(now, frame))


def test_between_frames_it_goes_a_part_of_the_way_and_keeps_nothing():
    project = watched(source("after-glow", "near", 0.25))
    past = Past(project, Memo())
    at = {frame: _values(project, frame, past)[0] for frame in (20, 20.5, 21)}
    kept = past.keep.frames(next(iter(past.links)))
    assert kept == set(range(1, 22))
    falling = (at[20] > 0.2) & (at[21] < at[20])
    assert falling.any()
    assert (at[20.5][falling] <= at[20][falling]).all()
    assert (at[21][falling] <= at[20.5][falling]).all()
    assert np.abs(_values(project, 20.0001, past)[0] - at[20]).max() < 1e-3


def test_another_look_at_what_comes_in_between():
    """A thin ball crosses the sheet in two frames: looked at once a frame it leaves beads, looked at often a trail."""
    keys = ((1, -0.6), (3, 0.6))

    def reached(looks):
        project = watched(source("stays", "near", looks), points=40, keys=keys)
        scene = edits.put(project.scene, ("falloffs", "near", "range", "gone"), 0.1)
        made = evaluate(project.with_scene(scene), 3)
        middle = np.abs(made["sheet"].rest[:, 2]) < 0.02
        return float((made.strength("sheet", "watching")[middle] > 0.3).mean())

    assert reached(1) < 0.4
    assert reached(16) > 0.95


def test_a_mesh_whose_points_change_says_on_which_frame_and_by_what():
    project = watched(EVERY_MEMORY["stays"]())
    grown = Keyed((Key(1, 0.0, "step"), Key(9, 1.0, "step")))
    dense = EffectSlot("dense", Subdivide(1), (Route("near", grown),))
    keyed = edits.insert(project.scene, ("shapes", "sheet", "effects"), dense, 0)
    frame = evaluate(project.with_scene(keyed), 30)
    text = next(problem.text for problem in frame.problems)
    assert "on frame 9" in text
    assert "Subdivide" in text
    assert "before" in text
    assert np.isfinite(frame["sheet"].points).all()
    assert not evaluate(project.with_scene(keyed), 8).problems


def test_what_fails_on_the_way_is_said_and_the_rest_of_the_frame_goes_on():
    project = watched(source("stays", "lost"))
    frame = evaluate(project, 5)
    assert ["falloff that is not in the scene" in problem.text for problem in frame.problems] == [True]
    assert frame.strength("sheet", "watching").max() == 0.0


def test_hidden_faces_do_not_end_what_is_remembered():
    project = watched(EVERY_MEMORY["spread"]())
    hidden = EffectSlot("hidden", Hide(), (Route("watching"),))
    scene = edits.insert(project.scene, ("shapes", "sheet", "effects"), hidden)
    assert not evaluate(project.with_scene(scene), 20).problems


def test_work_that_is_stopped_keeps_the_steps_it_made():
    project, keep, memo = watched(EVERY_MEMORY["spread"]()), Keep(), Memo()
    calls = iter(range(60))

    def stop():
        if next(calls, None) is None:
            raise CancelledError

    past = Past(project, memo, keep, stop)
    with pytest.raises(CancelledError):
        evaluate(project, LAST, memo, stop, past)
    done = past.steps
    assert 0 < done < LAST - 1
    again = Past(project, memo, keep)
    assert _same(_values(project, LAST, again), _values(project, LAST))
    assert again.steps == LAST - 1 - done


def test_progress_is_told_step_by_step():
    project, told = watched(EVERY_MEMORY["stays"]()), []
    past = Past(project, Memo(), report=told.append)
    _values(project, 10, past)
    assert [progress.frame for progress in told] == list(range(2, 11))
    assert [(progress.first, progress.last) for progress in told] == [(1, 9)] * 8 + [(10, 10)]


# In files

_CHILD = """
import sys, time
from pathlib import Path
from tests.remembering import EVERY_MEMORY, watched
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import StateFolder
project = watched(EVERY_MEMORY["spread"]())
past = Past(project, Memo(), Keep(folder=StateFolder(Path(sys.argv[1]))))
for frame in range(1, int(sys.argv[2]) + 1):
    made = evaluate(project, frame, past.memo, None, past)
    print(past.steps, float(made.strength("sheet", "watching").sum()), flush=True)
    time.sleep(float(sys.argv[3]))
"""


def _child(folder, frames, pause=0.0):
    command = [sys.executable, "-c", _CHILD, str(folder), str(frames), str(pause)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=os.getcwd())


def test_another_process_finds_what_the_first_worked_out(tmp_path):
    project = watched(EVERY_MEMORY["spread"]())
    first = Past(project, Memo(), Keep(folder=StateFolder(tmp_path)))
    strength = _values(project, 20, first)[0]
    assert first.steps == 19
    out, _ = _child(tmp_path, 20).communicate(timeout=120)
    steps, total = out.splitlines()[-1].split()
    assert int(steps) == 0
    assert float(total) == float(strength.sum())


def _cloth():
    """Cloth that comes in pieces."""
    scene = one_push().scene
    slot = EffectSlot("cloth", Cloth(patch=0.3), (Route("near"),))
    return Project(edits.put(scene, ("shapes", "sphere", "effects"), (slot,)))


def _growing():
    scene = one_push().scene
    slot = EffectSlot("grow", GrowBySteps(), (Route("near"),))
    return Project(edits.put(scene, ("shapes", "sphere", "effects"), (slot,)))


def _loose():
    """Pieces of a sheet that are let go where the falloff is."""
    scene = one_push().scene
    loose = SetLoose(holds=1.0)
    slots = (EffectSlot("parts", Separate()), EffectSlot("loose", loose, (Route("near"),), acts_on="pieces"))
    return Project(edits.put(scene, ("shapes", "sphere", "effects"), slots))


def _shed():
    """Flakes of a sheet that come off where the falloff is."""
    scene = one_push().scene
    slots = (EffectSlot("parts", Separate()), EffectSlot("shed", Shed(), (Route("near"),), acts_on="pieces"))
    return Project(edits.put(scene, ("shapes", "sphere", "effects"), slots))


def _ruffling():
    """A sheet that ruffles where the falloff is."""
    scene = edits.put(one_push().scene, ("shapes", "sphere", "source"), Sphere(0.5, 6))
    slot = EffectSlot("ruffle", Ruffle(speed=2.0), (Route("near"),))
    return Project(edits.put(scene, ("shapes", "sphere", "effects"), (slot,)))


EVERY_STATE = {name: lambda name=name: watched(EVERY_MEMORY[name]()) for name in EVERY_MEMORY}
EVERY_STATE |= {"cloth": _cloth, "grow-by-steps": _growing, "set-loose": _loose, "shed": _shed, "ruffle": _ruffling}


@pytest.mark.parametrize("name", EVERY_STATE)
def test_states_of_every_kind_come_back_from_their_files(name, tmp_path):
    project = EVERY_STATE[name]()
    shape = project.scene.shapes[0].id
    first = Past(project, Memo(), Keep(folder=StateFolder(tmp_path)))
    points = evaluate(project, 6, first.memo, None, first)[shape].points
    assert first.steps == 5
    folder = StateFolder(tmp_path)
    second = Past(project, Memo(), Keep(folder=folder))
    again = evaluate(project, 6, second.memo, None, second)[shape].points
    assert (second.steps, folder.damaged) == (0, 0)
    assert np.array_equal(again, points)


def test_every_kind_that_remembers_is_among_them():
    remembering = {
        tag
        for family in (Source, Effect)
        for tag, kind in kinds(family).items()
        if issubclass(kind, Remembering) and kind.__module__.startswith("estompe.")
    }
    assert remembering == set(EVERY_STATE)


def test_a_process_that_is_killed_loses_at_most_the_step_in_hand(tmp_path):
    child = _child(tmp_path, LAST, 0.05)
    for _ in range(8):
        child.stdout.readline()
    time.sleep(0.02)
    child.send_signal(signal.SIGKILL)
    child.communicate()
    done = len(list(tmp_path.glob("*.state")))
    assert 8 <= done < LAST
    project = watched(EVERY_MEMORY["spread"]())
    past = Past(project, Memo(), Keep(folder=StateFolder(tmp_path)))
    assert _same(_values(project, LAST, past), _values(project, LAST))
    assert past.steps <= LAST - done


def test_damaged_and_foreign_files_are_passed_over(tmp_path):
    project, folder = watched(EVERY_MEMORY["spread"]()), StateFolder(tmp_path)
    first = Past(project, Memo(), Keep(folder=folder))
    _values(project, 12, first)
    # From the last frame back: that one is damaged whatever the digests are, which another program gives other names.
    (links,) = first.links.values()
    files = [tmp_path / f"{links[frame].hex()}.state" for frame in sorted(links, reverse=True)]
    hand = random.Random(3)
    for number, file in enumerate(files):
        data = bytearray(file.read_bytes())
        if number % 3 == 0:
            data[hand.randrange(len(data))] ^= 0xFF
        elif number % 3 == 1:
            del data[hand.randrange(len(data)) :]
        file.write_bytes(bytes(data))
    past = Past(project, Memo(), Keep(folder=folder))
    assert _same(_values(project, 12, past), _values(project, 12))
    assert folder.damaged > 0
    assert "damaged files" in past.keep.trouble
    whole = Past(project, Memo(), Keep(folder=StateFolder(tmp_path)))
    _values(project, 12, whole)
    assert whole.steps == 0


def test_a_folder_that_cannot_be_written_is_said_and_nothing_is_lost(tmp_path):
    file = tmp_path / "file"
    file.write_text("in the way")
    project, folder = watched(EVERY_MEMORY["spread"]()), StateFolder(file / "states")
    past = Past(project, Memo(), Keep(folder=folder))
    assert _same(_values(project, 12, past), _values(project, 12))
    assert "cannot be kept" in folder.trouble


def test_a_folder_stays_within_its_bound_and_loses_what_was_used_first(tmp_path):
    project = watched(EVERY_MEMORY["spread"]())
    folder = StateFolder(tmp_path, bound=30_000)
    (tmp_path / ".left.part").write_bytes(b"half")
    os.utime(tmp_path / ".left.part", (0, 0))
    _values(project, LAST, Past(project, Memo(), Keep(folder=folder)))
    assert sum(file.stat().st_size for file in tmp_path.glob("*.state")) <= 30_000
    assert not list(tmp_path.glob(".*"))
    assert _same(_values(project, LAST, Past(project, Memo(), Keep(folder=folder))), _values(project, LAST))


def test_a_budget_too_small_for_one_state_is_said_and_changes_no_bit():
    project = watched(EVERY_MEMORY["spread"]())
    past = Past(project, Memo(), Keep(1000))
    assert _same(_values(project, 12, past), _values(project, 12))
    assert "raise it in the preferences" in past.keep.trouble
    assert Past(project, Memo(), Keep()).keep.trouble == ""
