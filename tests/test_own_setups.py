"""Set-ups of one's own: kept with what they use, and put on other shapes at their size."""

import numpy as np
import pytest
from msgspec import structs

from estompe import cli
from estompe.document import file
from estompe.document.project import Project, asset_name
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Shape, Transform
from estompe.effects.merge import Merge
from estompe.effects.push import Push
from estompe.evaluation import evaluate
from estompe.falloffs.noise import Noise
from estompe.falloffs.other import Other
from estompe.falloffs.painted import Painted
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.samples import sample
from estompe.setups import catalog, own
from estompe.shapes.sphere import Sphere
from tests.scenes import one_push


def bounds(project, shape):
    return evaluate(project, project.scene.first).states_of(shape)[0].bounds


def keep(project, shape="sphere"):
    return own.gathered(project, shape, *bounds(project, shape))


def put_on(project, shape, setup):
    return own.fitted(project, shape, *bounds(project, shape), setup)


def with_shape(project, shape):
    return project.with_scene(structs.replace(project.scene, shapes=(*project.scene.shapes, shape)))


def test_on_a_twin_elsewhere_it_does_what_it_did_here():
    project = one_push()
    twin = Shape("twin", "Twin", Sphere(0.5, 8), Transform((4.0, 1.0, -2.0)))
    made = put_on(with_shape(project, twin), "twin", keep(project))
    frame = evaluate(made.project, 1)
    assert np.allclose(frame["Twin"].points - (4.0, 1.0, -2.0), frame["Sphere"].points, atol=1e-4)


def test_on_a_larger_shape_everything_is_as_much_larger():
    project = one_push()
    big = Shape("big", "Big", Sphere(2.0, 8), Transform((10.0, 0.0, 0.0)))
    made = put_on(with_shape(project, big), "big", keep(project))
    frame = evaluate(made.project, 1)
    assert np.allclose((frame["Big"].points - (10.0, 0.0, 0.0)) / 4.0, frame["Sphere"].points, atol=1e-4)
    falloff = next(item for item in made.project.scene.falloffs if item.id == made.falloff)
    # Distances are in the control's own units, which have grown with it.
    assert (falloff.range.full, falloff.range.gone) == (0.2, 1.0)
    assert falloff.name == "Near 2"
    control = next(item for item in made.project.scene.controls if item.id == made.control)
    assert control.transform.position == pytest.approx((10.0 + 4 * 0.6, 0.0, 0.0))
    assert control.transform.scale == pytest.approx((4.0, 4.0, 4.0))


def test_keys_are_scaled_and_formulas_follow_new_names():
    scene = one_push().scene
    along = Keyed((Key(1, 0.6), Key(9, 1.6, slope_in=0.1)))
    lamp = structs.replace(scene.controls[0], transform=Transform((along, Formula("Lamp.position.x / 2"), 0.0)))
    project = Project(structs.replace(scene, controls=(lamp,)))
    big = Shape("big", "Big", Sphere(1.0, 8))
    made = put_on(with_shape(project, big), "big", keep(project))
    control = made.project.scene.controls[1]
    assert control.name == "Lamp 2"
    x, y, _ = control.transform.position
    assert [key.value for key in x.keys] == pytest.approx([1.2, 3.2])
    assert x.keys[1].slope_in == pytest.approx(0.2)
    assert y.text == "'Lamp 2'.position.x / 2"
    assert evaluate(made.project, 5).problems == ()


def test_falloffs_of_falloffs_and_painted_masks_come_along():
    scene = one_push().scene
    mask = np.linspace(0, 1, len(bounds_points(one_push())), dtype=np.float32)
    name = asset_name(mask)
    inner = Falloff(
        "inner", "Inner", (Layer("grain", Noise(0.2, 0.4)), Layer("mask", painted(name), join="add")), Range(1.0, 0.0)
    )
    outer = structs.replace(scene.falloffs[0], layers=(*scene.falloffs[0].layers, Layer("inside", Other("inner"))))
    project = Project(structs.replace(scene, falloffs=(outer, inner)), {name: mask})
    setup = keep(project)
    assert {item.name for item in setup.scene.falloffs} == {"Near", "Inner"}
    assert set(setup.assets) == {name}
    unused = Falloff("unused", "Unused")
    more = project.with_scene(structs.replace(project.scene, falloffs=(*project.scene.falloffs, unused)))
    assert len(keep(more).scene.falloffs) == 2


def bounds_points(project):
    return evaluate(project, 1)["Sphere"].points


def painted(name):
    fields = Painted.__struct_fields__
    asset = next(field for field in ("values", "mask", "asset") if field in fields)
    return Painted(**{asset: name})


def test_lengths_that_are_measured_in_the_world_are_scaled():
    scene = one_push().scene
    grain = Falloff("near", "Near", (Layer("reach", Noise(0.2, 0.4)),), Range(0.1, -0.1))
    project = Project(structs.replace(scene, falloffs=(grain,)))
    made = put_on(with_shape(project, Shape("big", "Big", Sphere(1.5, 8))), "big", keep(project)).project
    falloff = made.scene.falloffs[-1]
    assert (falloff.layers[0].source.amount, falloff.layers[0].source.size) == pytest.approx((0.6, 1.2))
    assert (falloff.range.full, falloff.range.gone) == pytest.approx((0.3, -0.3))
    assert made.scene.shapes[-1].effects[0].effect.amount == pytest.approx(0.3)


def test_it_is_a_scene_file_that_opens_on_its_own(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    path = own.save(keep(one_push()), "Push / near")
    assert path == own.folder() / "Push - near.estompe"
    assert own.kept() == {"Push - near": path}
    frame = evaluate(file.load(path), 1)
    assert frame.problems == ()
    assert [entry.label for entry in catalog.own_entries()] == ["Push - near"]
    assert catalog.own_entries()[0].group in catalog.GROUPS["recipe"]


def test_what_cannot_be_a_setup_says_why(tmp_path):
    project = one_push()
    bare = project.with_scene(
        structs.replace(project.scene, shapes=(structs.replace(project.scene.shapes[0], effects=()),))
    )
    with pytest.raises(own.SetupError, match="has no effects to keep"):
        keep(bare)
    other = Shape("other", "Other thing", Sphere())
    slot = EffectSlot("join", Merge(shapes=("other",)))
    joined = with_shape(project, other)
    joined = joined.with_scene(
        structs.replace(joined.scene, shapes=(structs.replace(joined.scene.shapes[0], effects=(slot,)), other))
    )
    with pytest.raises(own.SetupError, match="looks at the shape Other thing"):
        keep(joined)
    file.save(project, tmp_path / "scene.estompe")
    with pytest.raises(own.SetupError, match="is a scene, not a set-up"):
        own.load(tmp_path / "scene.estompe")
    with pytest.raises(own.SetupError, match="needs a name"):
        own.save(keep(project), " . ")


def test_the_command_line_keeps_and_uses_one(tmp_path, capsys):
    file.save(sample("lantern-amphora").build(0.02), tmp_path / "a.estompe")
    kept, out = tmp_path / "bulge.estompe", tmp_path / "b.estompe"
    assert cli.main(["setup", str(tmp_path / "a.estompe"), "--shape", "Amphora", "--save", str(kept)]) == 0
    assert (
        cli.main(["setup", str(tmp_path / "a.estompe"), "--shape", "Quay", "--use", str(kept), "--save", str(out)]) == 0
    )
    quay = next(shape for shape in file.load(out).scene.shapes if shape.name == "Quay")
    assert [type(slot.effect) for slot in quay.effects][-1] is Push
    assert cli.main(["setup", str(tmp_path / "a.estompe"), "--shape", "Nobody", "--save", str(kept)]) == 2
    assert "there is no shape “Nobody”; there are: Amphora, Quay" in capsys.readouterr().err


def test_routes_and_ids_are_new_and_unique():
    project = one_push()
    made = put_on(put_on(project, "sphere", keep(project)).project, "sphere", keep(project)).project
    slots = made.scene.shapes[0].effects
    assert len({slot.id for slot in slots}) == 3
    assert len({route.falloff for slot in slots for route in slot.routes}) == 3
    assert isinstance(made.scene.controls[-1], Control)
    assert {route.falloff for slot in slots for route in slot.routes} == {item.id for item in made.scene.falloffs}
    assert Route(made.scene.falloffs[0].id) == slots[0].routes[0]
