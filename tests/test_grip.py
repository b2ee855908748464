"""What was once lost, overwritten or silently wrong: files that are read, names, masks, and what is told of them."""

import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec import structs

from estompe.analysis.landing import Aim, Landing
from estompe.baking.manifest import job_of
from estompe.cli import main
from estompe.commands.errors import FAILED, PROBLEMS, USAGE
from estompe.document import edits, file
from estompe.document.project import Project
from estompe.document.renaming import rename, with_unique_names
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.coat import Coat
from estompe.effects.push import Push
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.program import program_digest
from estompe.evaluation.time.state_files import StateFolder
from estompe.falloffs.distance import Distance
from estompe.falloffs.image import Image
from estompe.falloffs.inside import Inside
from estompe.files.locks import FileLock, TakenError, is_held
from estompe.files.progress import ExchangeError
from estompe.files.regular import UnreadableError, check_answers
from estompe.importing.footage import close_all
from estompe.importing.reads import check_not_read, files_read
from estompe.kinds.numbers import Formula
from estompe.setups.adding import add_control, add_falloff, add_layer, add_shape
from estompe.setups.catalog import recipes
from estompe.setups.shot import listed, with_shot
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere
from tests import shots
from tests.scenes import LINEAR, one_push


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


@pytest.fixture
def layered(tmp_path) -> Path:
    """A scene of a shot whose animation lies in a sublayer."""
    from pxr import Sdf

    shots.boat_stage(tmp_path / "anim.usda")
    root = Sdf.Layer.CreateNew(str(tmp_path / "shot.usda"))
    root.subLayerPaths.append("./anim.usda")
    root.startTimeCode, root.endTimeCode, root.timeCodesPerSecond = 1001, 1010, 24
    root.pseudoRoot.SetInfo("metersPerUnit", 0.01)
    root.pseudoRoot.SetInfo("upAxis", "Z")
    root.defaultPrim = "World"
    root.Save()
    footage = listed(tmp_path / "shot.usda", Scene())
    scene = tmp_path / "s.estompe"
    file.save(with_shot(Project(Scene()), footage).project, scene)
    return scene


# Nothing that a scene reads is written over


@pytest.mark.parametrize("name", ["anim.usda", "shot.usda", "link.usda", "sub/../anim.usda"])
@pytest.mark.parametrize("more", [[], ["--over"], ["--over", "--machines", "1"]])
def test_no_export_replaces_a_file_that_the_scene_reads(layered, name, more, capsys):
    folder = layered.parent
    (folder / "sub").mkdir()
    (folder / "link.usda").symlink_to(folder / "anim.usda")
    before = {path: path.read_bytes() for path in (folder / "anim.usda", folder / "shot.usda")}
    out = str(folder / name)
    assert main(["bake", str(layered), "--frames", "1001-1002", "--out", out, *more]) == FAILED
    assert "the scene reads this file" in capsys.readouterr().err
    assert all(path.read_bytes() == content for path, content in before.items())


def test_pictures_that_a_scene_reads_are_not_written_over(tmp_path, capsys):
    from PIL import Image as Bitmap

    for number in (1, 2):
        Bitmap.new("RGB", (4, 4)).save(tmp_path / f"tide.{number:04d}.png")
    scene, shape = add_shape(Scene(first=1, last=2), "Ball", Sphere(0.5, 4))
    picture = Falloff("f", "Tide", (Layer("l", Image(str(tmp_path / "tide.####.png"))),))
    scene = edits.insert(scene, ("falloffs",), picture)
    project = Project(edits.insert(scene, ("shapes", shape, "effects"), EffectSlot("e", Push(0.1), (Route("f"),))))
    assert [Path(name).name for name in files_read(project)] == ["tide.0001.png", "tide.0002.png"]
    file.save(project, tmp_path / "s.estompe")
    for words in (["--frames", "1-2", "--out", "tide.####.png"], ["--frame", "2", "--out", "tide.0002.png"]):
        assert (
            main(["render", str(tmp_path / "s.estompe"), "--size", "16x16", *words[:3], str(tmp_path / words[3])])
            == FAILED
        )
        assert "the scene reads this file" in capsys.readouterr().err
    with pytest.raises(ExchangeError, match="the scene reads"):
        check_not_read(project, [tmp_path / "tide.0001.png"])
    whole = structs.replace(picture, layers=(Layer("l", Image(str(tmp_path / "x.estompe"))),))
    itself = Project(edits.put(scene, ("falloffs", "f"), whole))
    with pytest.raises(file.FileError, match="the scene reads"):
        file.save(itself, tmp_path / "x.estompe")


def test_a_command_does_not_write_over_the_file_it_was_given(tmp_path, capsys):
    path = shots.boat_stage(tmp_path / "boat.usda")
    before = path.read_bytes()
    assert main(["bake", str(path), "--out", str(tmp_path / "." / "boat.usda")]) == USAGE
    assert "is the file that is read" in capsys.readouterr().err
    assert path.read_bytes() == before


def test_a_run_is_another_one_once_a_sublayer_changed(layered):
    project = file.load(layered)
    before = job_of(project, "settings")
    assert job_of(project, "settings") == before
    animation = layered.parent / "anim.usda"
    animation.write_text(animation.read_text().replace("1010:", "1009:"))
    assert job_of(project, "settings") != before


def test_a_picture_of_a_scene_with_problems_is_refused_for_one_frame_too(layered, capsys, tmp_path):
    (layered.parent / "anim.usda").unlink()
    (layered.parent / "shot.usda").unlink()
    for words in (["--frame", "1001", "--out", "x.png"], ["--frame", "1001.5", "--out", "x.exr"]):
        assert main(["render", str(layered), *words[:3], str(tmp_path / words[3]), "--size", "16x16"]) == PROBLEMS
        assert "cannot be drawn" in capsys.readouterr().err
    assert not (tmp_path / "x.png").exists()


def test_a_frame_between_whole_ones_is_drawn_as_it_is(tmp_path):
    import OpenEXR

    project = one_push()
    moving = Formula("frame * 0.1")
    scene = edits.put(project.scene, ("shapes", "sphere", "transform", "position", 0), moving)
    file.save(project.with_scene(scene), tmp_path / "s.estompe")
    pictures = []
    for frame in ("1", "1.5", "2"):
        out = tmp_path / f"{frame}.exr"
        assert (
            main(["render", str(tmp_path / "s.estompe"), "--frame", frame, "--out", str(out), "--size", "64x48"]) == 0
        )
        with OpenEXR.File(str(out), separate_channels=True) as picture:
            pictures.append(np.asarray(picture.channels()["A"].pixels, np.float32))
    assert not np.array_equal(pictures[1], pictures[2])
    assert not np.array_equal(pictures[1], pictures[0])


def test_nothing_is_infinitely_deep_and_has_no_alpha(tmp_path):
    import OpenEXR

    file.save(one_push(), tmp_path / "s.estompe")
    out = tmp_path / "d.exr"
    words = ["--frame", "1", "--out", str(out), "--size", "64x48", "--layers", "depth", "--float"]
    assert main(["render", str(tmp_path / "s.estompe"), *words]) == 0
    with OpenEXR.File(str(out), separate_channels=True) as picture:
        channels = {name: np.asarray(item.pixels) for name, item in picture.channels().items()}
    nothing = channels["A"] == 0.0
    assert np.isinf(channels["depth.Z"][nothing]).all()
    assert (channels["depth.Z"][np.isfinite(channels["depth.Z"])] > 0.0).all()


# Files that do not answer, and locks


def test_a_pipe_is_refused_at_once_wherever_a_file_is_read(tmp_path, capsys):
    for name in ("a.estompe", "a.obj", "a.usda"):
        os.mkfifo(tmp_path / name)
        began = time.monotonic()
        assert main(["info", str(tmp_path / name)]) == FAILED
        assert "no regular file" in capsys.readouterr().err
        assert time.monotonic() - began < 5.0


def test_a_file_that_does_not_answer_is_given_up(tmp_path, monkeypatch):
    path = tmp_path / "slow"
    path.write_text("x")
    monkeypatch.setattr(os, "read", lambda *_: time.sleep(2.0))
    with pytest.raises(UnreadableError, match="does not answer"):
        check_answers(path, 0.1)


def test_a_lock_that_was_removed_meanwhile_is_taken_anew(tmp_path):
    path = tmp_path / "lock"
    first = FileLock(path)
    with pytest.raises(TakenError):
        FileLock(path)
    assert is_held(path)
    inside: list[str] = []

    def wait_and_hold(name):
        while True:
            try:
                with FileLock(path):
                    inside.append(name)
                    assert len(inside) == 1
                    time.sleep(0.002)
                    inside.remove(name)
                    return
            except TakenError:
                time.sleep(0.0005)

    threads = [threading.Thread(target=wait_and_hold, args=(str(number),)) for number in range(8)]
    for thread in threads:
        thread.start()
    first.release()
    for thread in threads:
        thread.join(10.0)
    assert not any(thread.is_alive() for thread in threads)
    assert not path.exists()


# One rule each


def test_states_of_another_program_are_not_taken(tmp_path, monkeypatch):
    from tests.remembering import EVERY_MEMORY, watched

    project = watched(EVERY_MEMORY["after-glow"]())

    def values(folder):
        past = Past(project, Memo(), Keep(folder=folder))
        return evaluate(project, 12, past.memo, None, past).strength("sheet", "watching")

    old, before = values(StateFolder(tmp_path)), program_digest()
    measure = Distance.measure
    monkeypatch.setattr(
        Distance, "measure", lambda self, elements, context: measure(self, elements, context) * np.float32(0.5)
    )
    assert program_digest() != before
    fresh = values(None)
    assert not np.array_equal(fresh, old)
    assert np.array_equal(values(StateFolder(tmp_path)), fresh)


def test_the_code_is_told_alike_in_another_process():
    script = "from estompe.evaluation.time.program import program_digest; print(program_digest().hex())"
    told = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.strip()
    assert len(told) == 32
    again = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.strip()
    assert told == again


def test_a_state_under_another_name_is_not_taken(tmp_path):
    from tests.remembering import EVERY_MEMORY, watched

    project, folder = watched(EVERY_MEMORY["stays"]()), StateFolder(tmp_path)
    past = Past(project, Memo(), Keep(folder=folder))
    right = evaluate(project, 9, past.memo, None, past).strength("sheet", "watching")
    files = sorted(tmp_path.glob("*.state"))
    contents = [path.read_bytes() for path in files]
    for path, content in zip(files, contents[1:] + contents[:1], strict=True):
        path.write_bytes(content)
    again = Past(project, Memo(), Keep(folder=StateFolder(tmp_path)))
    assert np.array_equal(evaluate(project, 9, again.memo, None, again).strength("sheet", "watching"), right)


def test_land_counts_the_elements_that_the_window_shows():
    from estompe.effects.subdivide import Subdivide

    project = one_push()
    scene = edits.insert(project.scene, ("shapes", "sphere", "effects"), EffectSlot("finer", Subdivide(1)))
    project = project.with_scene(scene)
    shown = evaluate(project, 5).shown("sphere", "near").strength
    assert np.array_equal(Landing(project, Aim("sphere", "near")).strength_on(5), shown)


def test_names_are_unique_also_after_renaming_and_opening():
    scene, shape = add_shape(Scene(), "Lamp", Sphere(0.5, 4))
    scene, control = add_control(scene, position=(0.0, 0.5, 0.0))
    scene = edits.put(scene, ("shapes", shape, "transform", "position", 0), Formula("Control.position.y * 2"))
    renamed = rename(scene, ("controls", control), "Lamp")
    assert edits.get(renamed, ("controls", control)).name == "Lamp 2"
    assert evaluate(Project(renamed), 1)["Lamp"].bounds[0][0] == pytest.approx(0.5)
    assert rename(renamed, ("controls", control), "Lamp 2") == renamed
    same = structs.replace(scene, controls=(Control("a", "Lamp"), Control("b", "Lamp")))
    names = edits.names_of(with_unique_names(same))
    assert len(set(names)) == len(names)
    unclear = edits.put(same, ("shapes", shape, "transform", "position", 0), Formula("Lamp.position.y"))
    told = [problem.text for problem in evaluate(Project(unclear), 1).problems]
    assert any("things called “Lamp”" in text for text in told)


def test_a_falloff_that_is_removed_takes_its_routes_along():
    project = one_push()
    scene = edits.remove(project.scene, ("falloffs", "near"))
    assert edits.get(scene, ("shapes", "sphere", "effects", "push")).routes == ()
    assert not evaluate(project.with_scene(scene), 1).problems


def test_problems_tell_no_ids():
    project = one_push()
    lost = structs.replace(project.scene, controls=())
    (problem,) = {item.text for item in evaluate(project.with_scene(lost), 1).problems}
    assert "lamp" not in problem
    assert "not in the scene any more" in problem


def test_a_shape_is_never_its_own_mask():
    scene, shape = add_shape(Scene(), "Ball", Sphere(0.5, 4))
    scene, other = add_shape(scene, "Other", Sphere(0.2, 4))
    scene, falloff = add_falloff(scene)
    scene, layer = add_layer(scene, falloff, "inside", shape)
    assert edits.get(scene, ("falloffs", falloff, "layers", layer)).source.shape == other
    scene = edits.put(scene, ("falloffs", falloff, "layers"), (Layer("l", Inside(shape)),))
    scene = edits.insert(scene, ("shapes", shape, "effects"), EffectSlot("e", Push(0.1), (Route(falloff),)))
    assert any("is the shape that is measured" in item.text for item in evaluate(Project(scene), 1).problems)


@pytest.mark.thorough
def test_a_smoothed_coat_stays_within_the_voxels_that_are_stored():
    scene, shape = add_shape(Scene(), "Vase", Lathe())
    low, high = evaluate(Project(scene), 1)["Vase"].bounds
    made = recipes()["coat-near"].build(scene, shape, low, high)
    scene = edits.put(made.scene, ("controls", made.control, "transform", "scale"), (1.52,) * 3)
    effect = edits.get(scene, ("shapes", shape)).effects[0]
    assert isinstance(effect.effect, Coat)
    wider = structs.replace(effect.effect, thickness=0.15, voxel=0.012)
    for smooth in (0.01, 0.03, 0.05):
        own = edits.put(scene, ("shapes", shape, "effects", effect.id, "effect"), structs.replace(wider, smooth=smooth))
        assert not evaluate(Project(own), 1).problems


def test_a_mask_is_shown_where_it_drives_and_is_no_problem_after_what_changes_the_mesh():
    from estompe.document.project import asset_name
    from estompe.effects.fracture import Fracture
    from estompe.falloffs.painted import Painted

    ball = Sphere(0.5, 8)
    scene, shape = add_shape(Scene(), "Ball", ball)
    rest = ball.build({}).points
    mask = (rest[:, 0] > 0.0).astype(np.float32)
    assets = {asset_name(array): array for array in (mask, rest)}
    painted = Falloff("m", "Mask", (Layer("l", Painted(asset_name(mask), asset_name(rest))),), Range(1.0, 0.0), LINEAR)
    scene = edits.insert(scene, ("falloffs",), painted)
    push = EffectSlot("push", Push(0.1), (Route("m"),))
    coat = EffectSlot("coat", Coat(0.05, voxel=0.06), (Route("m"),))
    for effects in ((push, EffectSlot("cut", Fracture())), (push, EffectSlot("over", Coat(0.05, voxel=0.06))), (coat,)):
        project = Project(edits.put(scene, ("shapes", shape, "effects"), effects), assets)
        frame = evaluate(project, 1)
        shown = frame.shown("Ball", "m")
        assert not frame.problems, frame.problems
        if effects[0] is push:
            assert shown.mesh is frame["Ball"]
            assert len(shown.measured_mesh.points) == len(mask)
            assert len(shown.strength) == len(frame["Ball"].points)
            right = frame["Ball"].rest[:, 0]
            assert (shown.strength[right > 0.13] == 1.0).all()
            assert (shown.strength[right < -0.13] == 0.0).all()
