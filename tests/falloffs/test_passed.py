"""Passed: one number that sweeps a falloff's range over all that is measured."""

from itertools import pairwise

import numpy as np
import pytest
from msgspec import structs

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.ramp import swept
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid

STRAIGHT = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))


def _project(source, within, passed, ramp=STRAIGHT):
    falloff = Falloff("f", "F", (Layer("l", source),), within, ramp, passed=passed)
    shape = Shape("sheet", "Sheet", Grid(2.0, 2.0, 40, 40), effects=(EffectSlot("push", Push(0.0001), (Route("f"),)),))
    lamp = Control("lamp", "Lamp", transform=Transform((0.3, 0.2, -0.4)))
    return Project(Scene((shape,), (lamp,), (falloff,), first=1, last=41))


@pytest.mark.parametrize("within", [Range(0.0, 0.4), Range(0.4, 0.0), Range(0.2, 0.2), Range(5.0, 5.5)])
@pytest.mark.parametrize("source", [Distance("lamp"), Noise(1.0, 0.3)], ids=["distance", "noise"])
def test_nothing_at_0_everything_at_100_and_ever_more_between(source, within):
    means, now = [], []
    for passed in (0.0, 0.25, 0.5, 0.75, 1.0):
        strength = evaluate(_project(source, within, passed), 1).strength("Sheet", "F")
        means.append(float(strength.mean()))
        now.append(strength)
    assert (now[0] == 0.0).all()
    assert (now[-1] == 1.0).all()
    assert all(later >= earlier for earlier, later in pairwise(means))
    assert 0.05 < means[2] < 0.95


def test_the_width_is_kept_and_near_comes_first():
    values = np.linspace(0.5, 2.5, 101, dtype=np.float32)
    for within in (Range(0.0, 0.4), Range(0.4, 0.0)):
        for passed in (0.0, 0.3, 1.0):
            moved = swept(values, within, passed)
            assert moved.gone - moved.full == pytest.approx(within.gone - within.full)
    strength = evaluate(_project(Distance("lamp"), Range(0.0, 0.3), 0.4), 1).shown("Sheet", "F")
    full, nothing = strength.values[strength.strength == 1.0], strength.values[strength.strength == 0.0]
    assert full.max() < nothing.min()
    assert nothing.min() - full.max() == pytest.approx(0.3, abs=0.05)


def test_what_is_shown_has_the_range_that_counts():
    shown = evaluate(_project(Distance("lamp"), Range(0.0, 0.3), 0.5), 1).shown("Sheet", "F")
    values = shown.values
    position = (values - shown.falloff.range.full) / (shown.falloff.range.gone - shown.falloff.range.full)
    assert np.allclose(shown.strength, np.clip(1.0 - position, 0.0, 1.0), atol=1e-5)
    assert np.allclose(shown.positions, position, atol=1e-5)


def test_it_can_be_keyed_and_without_it_the_range_counts_as_it_is():
    keyed = Keyed((Key(1, 0.0, "linear"), Key(41, 1.0, "linear")))
    project = _project(Distance("lamp"), Range(0.0, 0.3), keyed)
    means = [float(evaluate(project, frame).strength("Sheet", "F").mean()) for frame in (1, 11, 21, 31, 41)]
    assert means[0] == 0.0
    assert means[-1] == 1.0
    assert means == sorted(means)
    plain = project.with_scene(edits.put(project.scene, ("falloffs", "f", "passed"), None))
    values = evaluate(plain, 1).shown("Sheet", "F")
    assert np.allclose(values.strength, np.clip(1.0 - values.values / 0.3, 0.0, 1.0), atol=1e-5)


def test_joined_layers_are_swept_together():
    project = _project(Distance("lamp"), Range(0.0, 0.3), 1.0)
    layers = (Layer("l", Distance("lamp")), Layer("n", Noise(0.2, 0.3), "add"))
    scene = edits.put(project.scene, ("falloffs", "f"), structs.replace(project.scene.falloffs[0], layers=layers))
    assert (evaluate(Project(scene), 1).strength("Sheet", "F") == 1.0).all()
