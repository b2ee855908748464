"""Parts of a scene as text: what is copied, what is used again, and what is refused."""

import numpy as np
import pytest

from estompe.document import edits
from estompe.document.file import VERSION
from estompe.document.project import Project, asset_name
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform
from estompe.document.uses import replaced_everywhere, users_of
from estompe.effects.push import Push
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.painted import Painted
from estompe.kinds.numbers import Formula
from estompe.setups.parts import PartsError, as_text, copied, from_text, is_parts, pasted
from estompe.shapes.box import Box
from estompe.shapes.sphere import Sphere


@pytest.fixture
def project() -> Project:
    glow = Falloff("glow", "Glow", (Layer("by", Distance("lamp")),))
    amount = Formula("Lamp.position.x + 0.25")
    push = EffectSlot("push", Push(amount), (Route("glow"),))
    shapes = (Shape("ball", "Ball", Sphere(), effects=(push,)), Shape("crate", "Crate", Box()))
    return Project(Scene(shapes, (Control("lamp", "Lamp"), Control("other", "Other")), (glow,)))


def through_text(parts):
    text = as_text(parts)
    assert is_parts(text)
    return from_text(text)


def test_a_shape_brings_along_what_it_uses_into_another_scene(project):
    parts = through_text(copied(project, [("shapes", "ball")]))
    new = pasted(Project(Scene()), parts, None, None).project
    assert [item.name for item in new.scene.shapes] == ["Ball"]
    assert [item.name for item in new.scene.controls] == ["Lamp"]
    assert [item.name for item in new.scene.falloffs] == ["Glow"]
    before, after = evaluate(project, 1)["ball"], evaluate(new, 1)[new.scene.shapes[0].id]
    assert np.array_equal(before.points, after.points)


def test_in_the_same_scene_its_falloffs_are_used_again_or_duplicated(project):
    parts = copied(project, [("shapes", "ball")])
    again = pasted(project, parts, None, None)
    assert len(again.project.scene.falloffs) == 1
    (path,) = again.paths
    assert edits.get(again.project.scene, path).effects[0].routes == (Route("glow"),)
    anew = pasted(project, parts, None, None, anew=True)
    scene = anew.project.scene
    assert [item.name for item in scene.falloffs] == ["Glow", "Glow 2"]
    assert [item.name for item in scene.controls] == ["Lamp", "Other", "Lamp 2"]
    copy = edits.get(scene, anew.paths[0])
    assert copy.effects[0].routes == (Route(scene.falloffs[1].id),)
    assert copy.effects[0].effect.amount == Formula("'Lamp 2'.position.x + 0.25")
    assert scene.falloffs[1].layers[0].source.control == scene.controls[2].id


def test_an_effect_is_pasted_onto_another_shape_and_a_layer_onto_another_falloff(project):
    parts = through_text(copied(project, [("shapes", "ball", "effects", "push"), ("falloffs", "glow", "layers", "by")]))
    scene = edits.insert(project.scene, ("falloffs",), Falloff("second", "Second"))
    found = pasted(Project(scene), parts, "crate", "second")
    crate = edits.get(found.project.scene, ("shapes", "crate"))
    assert [type(slot.effect) for slot in crate.effects] == [Push]
    assert crate.effects[0].routes == (Route("glow"),)
    assert isinstance(edits.get(found.project.scene, ("falloffs", "second")).layers[0].source, Distance)
    assert all(edits.exists(found.project.scene, path) for path in found.paths)
    with pytest.raises(PartsError, match="choose a shape first"):
        pasted(Project(scene), parts, None, "second")


def test_painted_masks_go_along(project):
    mask = np.linspace(0, 1, 8, dtype=np.float32)
    name = asset_name(mask)
    painted = Falloff("mask", "Mask", (Layer("paint", Painted(name)),))
    scene = edits.insert(project.scene, ("falloffs",), painted)
    parts = through_text(copied(Project(scene, {name: mask}), [("falloffs", "mask")]))
    assert np.array_equal(parts.project.assets[name], mask)
    new = pasted(Project(Scene()), parts, None, None).project
    assert np.array_equal(new.assets[name], mask)


@pytest.mark.parametrize("change", [
    lambda text: text[:-5],
    lambda text: text.replace("estompe parts", "something else", 1),
    lambda text: text.replace('"picked":[["shapes","ball"]]', '"picked":[]'),
    lambda text: text.replace(f'"version":{VERSION}', '"version":99'),
    lambda text: text.replace('"assets":{}', '"assets":{"' + "0" * 64 + '":"!!"}'),
])  # fmt: skip
def test_text_that_is_not_sound_is_refused_in_words(project, change):
    text = change(as_text(copied(project, [("shapes", "ball")])))
    with pytest.raises(PartsError, match="clipboard"):
        from_text(text)


def test_nothing_that_can_be_copied_is_said(project):
    with pytest.raises(PartsError, match="pick a shape"):
        copied(project, [("camera",), ("shapes", "gone")])


def test_what_uses_a_part_is_found_and_can_use_another(project):
    assert users_of(project.scene, "lamp") == [
        ("shapes", "ball", "effects", "push"),
        ("falloffs", "glow", "layers", "by"),
    ]
    assert users_of(project.scene, "glow") == [("shapes", "ball", "effects", "push")]
    assert users_of(project.scene, "other") == []
    changed = replaced_everywhere(project.scene, "lamp", "other")
    assert changed.falloffs[0].layers[0].source == Distance("other")
    riding = edits.put(project.scene, ("shapes", "crate", "transform"), Transform(parent="lamp"))
    assert ("shapes", "crate") in users_of(riding, "lamp")
    assert users_of(project.scene, "ball") == []
