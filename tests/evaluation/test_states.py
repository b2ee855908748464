"""What is remembered across changes: tokens of arrays, the camera, other shapes, and bits that do not depend on threads."""

import os
import subprocess
import sys

import numpy as np
import pytest
from tests.counting import CountingMemo

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.effects.sway import Sway
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.frame import FEWEST_EDGES
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.camera_distance import CameraDistance
from estompe.falloffs.distance import Distance
from estompe.falloffs.other import Other
from estompe.falloffs.random import Random
from estompe.falloffs.surface import Surface
from estompe.kernels.topology import steepest
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere


def _scene(source, **changes):
    effects = (EffectSlot("w", Sway((0.1, 0, 0), rooted="nowhere")), EffectSlot("p", Push(0.1), (Route("f"),)))
    scene = Scene(
        (Shape("s", "S", Grid(1.0, 1.0, 8, 8), effects=effects), Shape("o", "Other", Sphere(0.3, 6))),
        (Control("c", "C", transform=Transform((Keyed((Key(1, 0.0), Key(20, 1.0))), 0.0, 0.0))),),
        (Falloff("f", "F", (Layer("l", source),), Range(0.0, 1.0)),),
        Camera(position=(0.0, 0.0, Keyed((Key(1, 4.0), Key(20, 2.0))))),
    )
    for path, value in changes.items():
        scene = edits.put(scene, tuple(path.split("__")), value)
    return Project(scene)


def _measured(project, frames):
    memo = CountingMemo()
    for frame in frames:
        evaluate(project, frame, memo)
    return memo.computed["measure"]


def test_attributes_and_random_numbers_are_measured_once_while_points_move():
    assert _measured(_scene(Attribute("uv")), range(1, 9)) == 1
    assert _measured(_scene(Random(2)), range(1, 9)) == 1


def test_what_looks_at_points_or_the_camera_is_measured_anew():
    assert _measured(_scene(Distance("c")), range(1, 9)) == 8
    assert _measured(_scene(CameraDistance()), range(1, 9)) == 8


def test_moving_the_camera_measures_nothing_that_does_not_look_at_it():
    project, memo = _scene(Distance("c")), CountingMemo()
    evaluate(project, 5, memo)
    before = sum(memo.computed.values())
    evaluate(project.with_scene(edits.put(project.scene, ("camera", "view_angle"), 50.0)), 5, memo)
    assert sum(memo.computed.values()) == before


def test_another_shape_is_noticed_when_it_changes():
    project, memo = _scene(Surface("o")), Memo()
    near = evaluate(project, 5, memo).strength("S", "f")
    larger = project.with_scene(edits.put(project.scene, ("shapes", "o", "source"), Sphere(0.45, 6)))
    assert not np.array_equal(evaluate(larger, 5, memo).strength("S", "f"), near)
    assert np.array_equal(evaluate(project, 5, memo).strength("S", "f"), near)


def test_an_effect_that_moves_points_shares_everything_else():
    frame = evaluate(_scene(Distance("c")), 3)
    before, after = frame.after("s", "w"), frame.after("s", "p")
    assert after.topology is before.topology
    assert after.attributes is before.attributes
    assert after.rest is before.rest
    assert after.points is not before.points
    assert after is frame["s"]
    assert frame.after("s", "nobody") is None


def test_shapes_whose_effects_are_off_have_no_states_after_them():
    scene = _scene(Distance("c")).scene
    for effect in ("w", "p"):
        scene = edits.put(scene, ("shapes", "s", "effects", effect, "enabled"), False)
    frame = evaluate(Project(scene), 3)
    assert frame.after("s", "w") is None
    assert frame.points_after("s") == frame.points_after("o") == {}


def test_the_steepest_edge_against_plain_numpy():
    rng = np.random.default_rng(1)
    for count in (100, 60_000):
        values = rng.uniform(0, 1, count).astype(np.float32)
        pairs = rng.integers(0, count, (count, 2)).astype(np.int32)
        assert steepest(values, pairs) == np.abs(values[pairs[:, 0]] - values[pairs[:, 1]]).max()


def test_coarse_edges_are_those_the_ramp_crosses_in_fewer_than_three():
    project = _scene(Distance("c"))
    project = project.with_scene(edits.put(project.scene, ("falloffs", "f", "range"), Range(0.2, 0.4)))
    shown = evaluate(project, 1).shown("s", "f")
    edges = shown.mesh.topology.edges
    steps = np.abs(shown.strength[edges[:, 0]] - shown.strength[edges[:, 1]])
    assert len(shown.coarse_edges) == (steps > 1 / FEWEST_EDGES).sum() > 0
    assert shown.edges_across < FEWEST_EDGES


_BITS = """
import hashlib
from estompe.evaluation import evaluate
from estompe.samples import SAMPLES
digest = hashlib.sha256()
for item in SAMPLES:
    project = item.build(0.05)
    frame = evaluate(project, min(item.picture_frame, project.scene.first + 16))
    for shape in frame:
        digest.update(frame[shape].points.tobytes())
print(digest.hexdigest())
"""


@pytest.mark.thorough
def test_one_thread_and_two_give_the_same_bits():
    started = [
        subprocess.Popen(
            [sys.executable, "-c", _BITS], env={**os.environ, "NUMBA_NUM_THREADS": threads},
            stdout=subprocess.PIPE, text=True,
        )
        for threads in ("1", "2")
    ]  # fmt: skip
    one, two = (process.communicate()[0].strip() for process in started)
    assert [process.returncode for process in started] == [0, 0]
    assert one == two != ""


def test_falloffs_in_a_circle_do_not_depend_on_which_is_asked_first():
    near = Layer("near", Distance("lamp"))
    one = Falloff("one", "One", (near, Layer("two", Other("two"), "add")), Range(0.0, 2.0))
    two = Falloff("two", "Two", (near, Layer("one", Other("one"), "add")), Range(0.0, 3.0))
    found = []
    for routes in ((Route("two"),), (Route("one"), Route("two"))):
        shape = Shape("sheet", "Sheet", Grid(1.0, 1.0, 4, 4), effects=(EffectSlot("push", Push(0.1), routes),))
        frame = evaluate(Project(Scene((shape,), (Control("lamp", "Lamp"),), (one, two))), 1)
        assert any("refers back to itself" in problem.text for problem in frame.problems)
        found.append(frame.strength("sheet", "two"))
    assert np.array_equal(*found)
