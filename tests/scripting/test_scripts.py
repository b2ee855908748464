"""Scenes that scripts build: checked where they are built, and the same as those of the window."""

import runpy
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pytest

import estompe as es
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_effect
from estompe.shapes.sphere import Sphere

SCRIPTS = sorted((Path(__file__).parents[2] / "examples" / "scripts").glob("*.py"))
WRITTEN = {
    "bulge_near_a_lantern": ("bulge.estompe", "bulge.usdc"), "break_behind_a_front": ("shards.estompe",),
    "stones_near_the_water": ("stones.estompe",), "strength_pictures": ("salt.0010.png", "salt.0012.png"),
    "seeds": ("rock-1.estompe", "rock-3.estompe"), "numbers_out": ("sail.npz",), "terrain_from_arrays": ("reef.estompe",),
    "set_up_for_many": ("bulge-near.estompe", "buoys.estompe"), "linked_by_formulas": ("mast.estompe",),
    "over_of_a_shot": ("boat-over.usda",),
}  # fmt: skip


class Lit(NamedTuple):
    """What `lit` gives."""

    scene: es.Scene
    ball: es.Shape
    lantern: es.Control
    glow: es.Falloff


def lit():
    scene = es.Scene(last=48)
    ball = scene.shape("sphere", name="Ball")
    lantern = scene.control(name="Lantern", position=es.keys({1: (-1, 0, 0), 48: (1, 0, 0)}))
    glow = scene.falloff("Glow").add(es.Distance(lantern)).range(full=0.2, gone=1.4)
    ball.add(es.Push(0.1), by=glow)
    return scene, ball, lantern, glow


def test_a_script_builds_the_scene_that_structs_spell_out():
    scene, ball, lantern, glow = lit()
    x = Keyed((Key(1.0, -1.0), Key(48.0, 1.0)))
    still = Keyed((Key(1.0, 0.0), Key(48.0, 0.0)))
    spelled = Scene(
        (Shape(ball, "Ball", Sphere(), effects=(EffectSlot("effect-1", es.Push(0.1), (Route(glow),)),)),),
        (Control(lantern, "Lantern", transform=Transform((x, still, still))),),
        (Falloff(glow, "Glow", (Layer("layer-1", es.Distance(lantern)),), Range(0.2, 1.4)),),
        last=48,
    )
    one, other = es.evaluate(scene, 20), es.evaluate(Project(spelled), 20)
    assert np.array_equal(one["Ball"].points, other["Ball"].points)
    assert es.diff(scene, Project(spelled)) == []


def test_effects_act_on_what_they_would_in_the_window():
    scene = es.Scene()
    rock = scene.shape("box", name="Rock")
    near = scene.falloff("Near")
    rock.add(es.Fracture(cells=5), es.Scale(), by=near)
    fracture, scale = scene.project.scene.shapes[0].effects
    assert fracture.routes == ()
    assert scale.routes == (Route(near),)
    window, _ = add_effect(scene.project.scene, rock, "scale", near)
    assert window.shapes[0].effects[-1].acts_on == scale.acts_on == "pieces"
    assert scale.each is True


def test_what_a_script_builds_is_saved_opened_and_changed(tmp_path):
    scene, ball, _, glow = lit()
    scene.save(tmp_path / "it.estompe")
    again = es.Scene.of(es.open(tmp_path / "it.estompe"))
    assert again.project.scene == scene.project.scene
    assert again.find("Ball") == ball
    again["Glow.gone"] = 2
    assert again["Glow.gone"] == 2
    again["Ball.Push.amount"] = es.keys({1: 0.0, 10: 0.2})
    assert "Push amount" in " ".join(es.diff(scene, again))
    again.find("Glow").name = "Shine"
    assert again.find("Shine") == glow
    ball.name = "Buoy"
    assert scene.find("Buoy") == ball


@pytest.mark.parametrize(("attempt", "words"), [
    (lambda of: of.scene.shape("bax"), "did you mean “box”"),
    (lambda of: of.scene.shape("box", widht=2), "did you mean “width”"),
    (lambda of: of.ball.add(es.Push("much")), "a number, keys or a formula, not text"),
    (lambda of: of.ball.add(es.Push(float("nan"))), "finite"),
    (lambda of: of.ball.add(es.Distance(of.lantern)), "es.Push"),
    (lambda of: of.glow.add(es.Push()), "es.Distance"),
    (lambda of: of.scene.find("Bell"), "There are: Ball, Lantern, Glow"),
    (lambda of: of.ball.set(radius=-1), "Radius"),
    (lambda of: of.ball.place(position=(1, 2)), "three numbers"),
    (lambda of: of.ball.place(parent=of.ball), "cannot ride"),
    (lambda of: es.keys({}), "at least one frame"),
    (lambda of: es.keys({1: 0, 2: (1, 2, 3)}), "all single numbers"),
    (lambda of: es.formula("1 +"), "cannot be read"),
    (lambda of: of.scene.mesh([(0, 0, 0)], [(0, 1, 2)]), "not there"),
    (lambda of: of.scene.bake("out.abc"), "end it in"),
    (lambda of: es.evaluate("it", 1), "takes a project or a Scene"),
    (lambda of: es.Scene(first=5, last=1), "before the first"),
])  # fmt: skip
def test_what_does_not_fit_is_refused_where_it_is_given_and_changes_nothing(attempt, words):
    of = Lit(*lit())
    before = of.scene.project.scene
    with pytest.raises(es.ScriptError) as error:
        attempt(of)
    assert words.replace("There are: Ball, Lantern, Glow", "There are: ") in str(error.value)
    assert of.scene.project.scene is before


def test_arrays_go_in_and_come_out():
    scene = es.Scene()
    points = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0.5, 0.5, 1)], np.float64)
    faces = [(0, 1, 2, 3), (0, 4, 1), (1, 4, 2), (2, 4, 3), (3, 4, 0)]
    scene.mesh(points, faces, name="Roof")
    found = scene.evaluate(1)["Roof"]
    assert np.array_equal(found.points, points.astype(np.float32))
    assert np.array_equal(np.diff(found.topology.offsets), [4, 3, 3, 3, 3])


def test_names_are_completed_and_pictures_shown_in_a_notebook():
    assert {"Scene", "keys", "Distance", "Push", "Lathe", "evaluate"} <= set(dir(es))
    with pytest.raises(AttributeError, match="Pusch"):
        _ = es.Pusch
    scene, *_ = lit()
    assert scene._repr_png_().startswith(b"\x89PNG")
    assert "1 shapes" in repr(scene)


def test_every_example_is_tested():
    assert {path.stem for path in SCRIPTS} == set(WRITTEN)
    assert len(SCRIPTS) >= 10


@pytest.mark.parametrize("script", SCRIPTS, ids=lambda path: path.stem)
def test_an_example_runs(script, tmp_path, monkeypatch):
    monkeypatch.setattr(sys, "argv", [str(script), str(tmp_path)])
    runpy.run_path(str(script), run_name="__main__")
    for name in WRITTEN[script.stem]:
        assert (tmp_path / name).stat().st_size > 0


def test_an_example_runs_by_itself(tmp_path):
    script = next(path for path in SCRIPTS if path.stem == "seeds")
    done = subprocess.run([sys.executable, script, tmp_path], capture_output=True, text=True, timeout=200)
    assert done.returncode == 0, done.stderr
    assert "Fracture seed" in done.stdout
