"""Spikes: heights, taper, share, and what they leave alone."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Layer, Range, Route, Scene
from estompe.effects.spikes import Spikes
from estompe.evaluation import evaluate
from estompe.falloffs.along import Along  # noqa: F401 - registers with the others
from estompe.falloffs.height import Height
from estompe.geometry import Domain
from estompe.geometry.volumes.volume import volume
from estompe.setups.adding import add_falloff, add_shape
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid


def _sheet(effect, *routes, scene=None):
    scene, shape = add_shape(scene or Scene(), "Sheet", Grid(2.0, 2.0, 10, 10))
    slot = EffectSlot("spikes", effect, routes, acts_on="faces")
    frame = evaluate(Project(edits.put(scene, ("shapes", shape, "effects"), (slot,))), 1)
    assert [item.text for item in frame.problems] == []
    return frame[shape]


def test_all_faces_as_prisms_are_a_thicker_sheet():
    made = _sheet(Spikes(0.3, taper=0.0, share=1.0, uneven=0.0))
    assert made.topology.faces == 100 * 5
    heights = np.unique(np.round(made.points[:, 1], 5))
    assert heights.tolist() == pytest.approx([0.0, 0.3])


def test_pointed_ones_end_above_the_middles_of_their_faces():
    made = _sheet(Spikes(0.5, taper=1.0, share=1.0, uneven=0.0))
    tips = np.unique(np.round(made.points[made.points[:, 1] > 0.4], 5), axis=0)
    assert len(tips) == 100
    places = np.linspace(-0.9, 0.9, 10)
    assert np.unique(tips[:, 0]) == pytest.approx(places, abs=1e-5)


def test_a_closed_body_grows_by_the_volume_of_its_spikes():
    scene, shape = add_shape(Scene(), "Box", Box(1.0, 1.0, 1.0, 4))
    slot = EffectSlot("spikes", Spikes(0.6, taper=1.0, share=1.0, uneven=0.0), acts_on="faces")
    made = evaluate(Project(edits.put(scene, ("shapes", shape, "effects"), (slot,))), 1)[shape]
    # A pyramid over each of 96 squares; they stand over the face, whose own place is now open to them.
    expected = 1.0 + 96 * (0.25**2) * 0.6 / 3
    assert volume(made.points, made.topology.triangles) == pytest.approx(expected, rel=1e-4)


def test_a_share_is_chosen_by_the_faces_own_numbers():
    few, more = (_sheet(Spikes(0.2, share=share, seed=5)) for share in (0.2, 0.6))
    counts = [made.attribute(Domain.FACE, "spikes").sum() / 5 for made in (few, more)]
    assert counts[0] < counts[1] < 80
    bases = [
        {tuple(point) for point in np.round(made.points[121:][: (len(made.points) - 121) // 2], 4)}
        for made in (few, more)
    ]
    assert bases[0] <= bases[1]


def test_where_there_is_no_strength_faces_stay():
    scene, falloff = add_falloff(Scene(), "Half", (Layer("layer", Height("x")),))
    scene = edits.put(scene, ("falloffs", falloff, "range"), Range(0.7, 0.5))
    made = _sheet(Spikes(0.4, share=1.0, uneven=0.0), Route(falloff), scene=scene)
    spiky = made.attribute(Domain.FACE, "spikes")
    assert spiky.sum() == 50 * 5
    assert made.points[made.points[:, 1] > 1e-6][:, 0].min() > -0.01
    assert np.array_equal(
        made.points[:121], evaluate(Project(add_shape(Scene(), "S", Grid(2.0, 2.0, 10, 10))[0]), 1)["S"].points
    )
