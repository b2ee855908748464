"""First values that show something: ranges fitted to what is measured, and parts that are made along with what needs them."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.evaluation import evaluate
from estompe.kinds.kind import Effect, Source
from estompe.kinds.registry import kinds
from estompe.setups.adding import Place, add_effect, add_shape, add_source
from estompe.setups.fitting import fit
from estompe.shapes.sphere import Sphere

PLACE = Place((0.0, 0.4, 0.3), 0.5)
# These show what is there only once something has happened or was made.
_LATER = {
    "attribute",
    "loose",
    "image",
    "painted",
    "speed",
    "bend",
    "inside",
    "stays",
    "after-glow",
    "reached",
    "spread",
    "lag",
    "border",
    "order",
}


@pytest.fixture
def sphere():
    return add_shape(Scene(), "Sphere", Sphere(0.5, 16))


@pytest.mark.parametrize("tag", [tag for tag, kind in kinds(Source).items() if kind.__module__.startswith("estompe.")])
def test_a_source_in_an_empty_scene_gets_all_that_it_needs(sphere, tag):
    scene, shape = sphere
    added = add_source(scene, tag, None, shape, PLACE)
    assert edits.get(added.scene, ("falloffs", added.falloff, "layers"))[0].id == added.layer
    frame = evaluate(Project(added.scene), 1)
    words = {"attribute": "no attribute", "image": "choose", "painted": "mask"}
    problems = [problem.text for problem in frame.problems]
    assert tag in words or problems == [], problems


@pytest.mark.parametrize(
    "tag", [tag for tag, kind in kinds(Source).items() if kind.__module__.startswith("estompe.") and tag not in _LATER]
)
def test_a_fitted_range_shows_something_at_once(sphere, tag):
    scene, shape = sphere
    added = add_source(scene, tag, None, shape, PLACE)
    scene = fit(Project(added.scene), added.falloff, shape, 1)
    strength = evaluate(Project(scene), 1).strength(shape, added.falloff)
    assert strength.max() > 0.9
    assert strength.min() < 0.1
    assert 0.02 < strength.mean() < 0.98


def test_near_is_strong_and_more_is_strong(sphere):
    scene, shape = sphere
    for tag, strong_is_small in (
        ("distance", True),
        ("noise", False),
        ("height", False),
        ("facing", True),
        ("camera-distance", True),
    ):
        added = add_source(scene, tag, None, shape, PLACE)
        shown = evaluate(Project(fit(Project(added.scene), added.falloff, shape, 1)), 1).shown(shape, added.falloff)
        order = np.corrcoef(shown.values, shown.strength)[0, 1]
        assert (order < 0) == strong_is_small, tag


def test_without_a_place_what_is_missing_is_said(sphere):
    scene, shape = sphere
    with pytest.raises(LookupError, match="needs a control"):
        add_source(scene, "distance", None, shape, None)


@pytest.mark.parametrize("tag", [tag for tag, kind in kinds(Effect).items() if kind.__module__.startswith("estompe.")])
def test_an_effect_on_a_lone_shape_gets_all_that_it_needs(sphere, tag):
    scene, shape = sphere
    scene, _ = add_effect(scene, shape, tag, None, PLACE)
    assert [problem.text for problem in evaluate(Project(scene), 1).problems] == []


def test_what_changes_the_elements_is_not_fed_at_first(sphere):
    scene, shape = sphere
    added = add_source(scene, "distance", None, shape, PLACE)
    for tag in ("separate", "fracture", "subdivide", "group"):
        scene, effect = add_effect(added.scene, shape, tag, added.falloff, PLACE)
        assert edits.get(scene, ("shapes", shape, "effects", effect, "routes")) == ()
    scene, push = add_effect(added.scene, shape, "push", added.falloff, PLACE)
    assert [route.falloff for route in edits.get(scene, ("shapes", shape, "effects", push, "routes"))] == [
        added.falloff
    ]


def test_pieces_are_turned_and_sized_each_by_itself(sphere):
    scene, shape = sphere
    scene, _ = add_effect(scene, shape, "separate", None)
    for tag, each in (("rotate", True), ("scale", True), ("push", False)):
        changed, effect = add_effect(scene, shape, tag, None)
        slot = edits.get(changed, ("shapes", shape, "effects", effect))
        assert (slot.acts_on, slot.each) == ("pieces", each)
