"""Adding parts: sensible first values, references that exist, and what is said when something is missing."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Route, Scene
from estompe.effects.joints import Joints
from estompe.evaluation import evaluate
from estompe.falloffs.painted import Painted, carried_over
from estompe.kinds.kind import Effect, Source
from estompe.kinds.registry import kinds
from estompe.kinds.settings import settings_of
from estompe.kinds.units import UNITS
from estompe.setups.adding import (
    add_control,
    add_effect,
    add_falloff,
    add_layer,
    add_painted,
    add_shape,
    duplicate,
    paste_effects,
    subdivide_on_ramp,
)
from estompe.setups.recipes.push_near import push_near
from estompe.shapes.box import Box
from estompe.shapes.sphere import Sphere


@pytest.fixture
def scene():
    """A shape, a falloff with a distance, and a push."""
    made, _ = add_shape(Scene(), "Sphere", Sphere(0.5, 10))
    return push_near(made, "shape-1", np.full(3, -0.5, np.float32), np.full(3, 0.5, np.float32)).scene


@pytest.mark.parametrize("tag", kinds(Effect))
def test_every_effect_names_only_what_is_there(scene, tag):
    made, effect = add_effect(scene, "shape-1", tag, "falloff-1")
    settings = edits.get(made, ("shapes", "shape-1", "effects", effect, "effect"))
    for rule in settings_of(type(settings)):
        if rule.refers == "control" and not rule.optional and rule.type != "parts":
            assert getattr(settings, rule.name) == "control-1"
    assert not evaluate(Project(made), 1).problems


@pytest.mark.parametrize("tag", ["attract", "push-away", "distance", "sweep"])
def test_what_needs_a_control_says_so(tag):
    made, shape = add_shape(Scene(), "Sphere", Sphere())
    made, falloff = add_falloff(made)
    with pytest.raises(LookupError, match="needs a control: add one first"):
        add_effect(made, shape, tag, None) if tag in kinds(Effect) else add_layer(made, falloff, tag)


def test_a_press_without_control_or_shape_asks_for_one():
    made, shape = add_shape(Scene(), "Sphere", Sphere(0.5, 4))
    made, _ = add_effect(made, shape, "press", None)
    assert "nothing presses yet: choose a control or a shape" in evaluate(Project(made), 1).problems[0].text


def test_a_surface_is_that_of_a_shape_the_falloff_does_not_drive(scene):
    made, other = add_shape(scene, "Box", Box())
    made, layer = add_layer(made, "falloff-1", "surface")
    assert edits.get(made, ("falloffs", "falloff-1", "layers", layer, "source", "shape")) == other
    with pytest.raises(LookupError, match="needs another shape"):
        add_layer(scene, "falloff-1", "surface")


def test_bend_looks_at_a_joints_effect(scene):
    with pytest.raises(LookupError, match="needs a Joints effect"):
        add_layer(scene, "falloff-1", "bend")
    made, joints = add_effect(scene, "shape-1", "joints", None)
    made, layer = add_layer(made, "falloff-1", "bend")
    source = edits.get(made, ("falloffs", "falloff-1", "layers", layer, "source"))
    assert source.joints == joints
    assert isinstance(edits.get(made, ("shapes", "shape-1", "effects", joints, "effect")), Joints)


def test_every_source_has_a_unit_the_ramp_can_show(scene):
    made, _ = add_control(scene, "path")
    made, _ = add_shape(made, "Box", Box())
    made, _ = add_effect(made, "shape-1", "joints", None)
    made, falloff = add_falloff(made, "Second")
    for tag in kinds(Source):
        made, layer = add_layer(made, falloff, tag)
        source = edits.get(made, ("falloffs", falloff, "layers", layer, "source"))
        assert source.unit() in UNITS
        assert set(source.reads()) <= {"points", "normals", "rest", "attributes", "topology", "camera", "matrix"}


def test_a_falloff_that_is_only_painted_has_the_range_of_a_mask():
    made, falloff = add_falloff(Scene())
    made, layer = add_painted(made, falloff)
    assert isinstance(edits.get(made, ("falloffs", falloff, "layers", layer, "source")), Painted)
    found = edits.get(made, ("falloffs", falloff, "range"))
    assert (found.full, found.gone) == (1.0, 0.0)


def test_pasted_effects_have_ids_of_their_own_and_keep_their_falloffs(scene):
    made, other = add_shape(scene, "Box", Box())
    effects = edits.get(made, ("shapes", "shape-1", "effects"))
    made = paste_effects(made, other, effects * 2)
    pasted = edits.get(made, ("shapes", other, "effects"))
    assert [effect.effect for effect in pasted] == [effects[0].effect] * 2
    assert len({effect.id for effect in (*effects, *pasted)}) == 3
    assert all(effect.routes == effects[0].routes for effect in pasted)


def test_subdividing_on_the_ramp_splits_where_the_strength_changes(scene):
    made = subdivide_on_ramp(scene, "shape-1", "falloff-1")
    first = edits.get(made, ("shapes", "shape-1", "effects"))[0]
    assert first.routes == (Route("falloff-1", 2.0), Route("falloff-1", 2.0, "multiply", one_minus=True))
    before, after = (evaluate(Project(item), 1)["Sphere"] for item in (scene, made))
    strength = evaluate(Project(scene), 1).strength("Sphere", "falloff-1")
    on_ramp = ((strength > 0.2) & (strength < 0.8)).mean()
    grown = after.topology.faces / before.topology.faces
    assert 1 + 2 * on_ramp < grown < 4


def test_effects_of_a_copied_shape_have_ids_of_their_own(scene):
    made, copy = duplicate(scene, ("shapes", "shape-1"))
    own, copied = (edits.get(made, ("shapes", shape, "effects")) for shape in ("shape-1", copy))
    assert [effect.effect for effect in own] == [effect.effect for effect in copied]
    assert [effect.routes for effect in own] == [effect.routes for effect in copied]
    assert not {effect.id for effect in own} & {effect.id for effect in copied}


def test_duplicates_stand_behind_their_original(scene):
    made, copy = duplicate(scene, ("shapes", "shape-1"))
    assert [shape.id for shape in made.shapes] == ["shape-1", copy]
    assert made.shapes[1].name == "Sphere 2"


def test_a_mask_is_carried_over_to_the_nearest_points():
    places = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0]], np.float32)
    mask = np.array([0.1, 0.5, 0.9], np.float32)
    rest = np.array([[1.9, 0.1, 0], [0.2, 0, 0], [0.6, 0, 0]], np.float32)
    assert np.array_equal(carried_over(mask, places, rest), mask[[2, 0, 1]])
