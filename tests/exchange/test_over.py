"""A layer over the original: composed with the USD library, what was changed is ours and everything else is as it was."""

import numpy as np
import pytest
from msgspec import structs
from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdSkel
from tests import shots
from tests.checking import failed_checks

from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.move import Move
from estompe.effects.scale import Scale
from estompe.evaluation import evaluate
from estompe.exchange.usd.joining import LayerPart, join_layers
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd as usd_out
from estompe.falloffs.noise import Noise
from estompe.geometry import Domain
from estompe.importing import ExchangeError
from estompe.importing.footage import close_all
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.shot import listed, with_shot
from estompe.shapes.grid import Grid

PATCHY = Falloff("patchy", "Patchy", (Layer("grain", Noise(1.0, 0.4, seed=3)),), Range(0.5, -0.5))
TURN = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


def imported(path, effects):
    """A scene of all that is in a file; effects: by the name of a shape."""
    made = with_shot(Project(Scene()), listed(path, Scene())).project
    shapes = tuple(structs.replace(shape, effects=effects.get(shape.name, ())) for shape in made.scene.shapes)
    return made.with_scene(structs.replace(made.scene, shapes=shapes, falloffs=(PATCHY,)))


def slot(effect, name="effect-1", **more):
    return EffectSlot(name, effect, (Route("patchy"),), **more)


def values(prim):
    """All values of a prim on some frames, and its metadata."""
    times = (Usd.TimeCode.Default(), 1001, 1004, 1010)
    attributes = {(item.GetName(), str(time)): str(item.Get(time)) for item in prim.GetAttributes() for time in times}
    relations = {item.GetName(): item.GetTargets() for item in prim.GetRelationships()}
    return prim.GetTypeName(), attributes, relations


@pytest.fixture
def boat(tmp_path):
    """The boat with materials, and everything on it moved but the camera and the lamp."""
    path = shots.boat_stage(tmp_path / "boat.usda")
    stage = Usd.Stage.Open(str(path))
    material = UsdShade.Material.Define(stage, "/World/Materials/planks")
    UsdShade.MaterialBindingAPI.Apply(stage.GetPrimAtPath("/World/Boat/Hull")).Bind(material)
    stage.GetPrimAtPath("/World/Boat/Hull").CreateAttribute("studio:note", Sdf.ValueTypeNames.String).Set("keep me")
    stage.Save()
    effects = {
        "Hull": (slot(Move((0.0, 0.3, 0.0))),),
        "Buoys": (slot(Scale((2.0, 2.0, 2.0)), "effect-2", acts_on="pieces"),),
    }
    return path, imported(path, effects)


@pytest.mark.parametrize("ending", ["usda", "usdc"])
def test_changed_prims_are_ours_and_all_others_are_as_they_were(boat, tmp_path, ending):
    path, project = boat
    out = tmp_path / "out" / f"over.{ending}"
    out.parent.mkdir()
    write_over(project, 1001, 1010, out)
    original, composed = Usd.Stage.Open(str(path)), Usd.Stage.Open(str(out))
    changed = {"/World/Boat/Hull", "/World/Buoys"}
    for prim in original.Traverse():
        if str(prim.GetPath()) not in changed:
            assert values(composed.GetPrimAtPath(prim.GetPath())) == values(prim), prim.GetPath()
    assert {str(prim.GetPath()) for prim in composed.Traverse()} == {
        str(prim.GetPath()) for prim in original.Traverse()
    }
    assert UsdGeom.GetStageUpAxis(composed) == "Z"
    assert UsdGeom.GetStageMetersPerUnit(composed) == 0.01
    hull = composed.GetPrimAtPath("/World/Boat/Hull")
    assert UsdShade.MaterialBindingAPI(hull).GetDirectBinding().GetMaterialPath() == "/World/Materials/planks"
    assert hull.GetAttribute("studio:note").Get() == "keep me"


@pytest.mark.parametrize("frame", [1001, 1004, 1006.5, 1010])
def test_points_in_the_composed_world_are_those_of_the_scene(boat, tmp_path, frame):
    _, project = boat
    write_over(project, 1001, 1010, tmp_path / "over.usda", per_frame=2 if frame % 1 else 1)
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    mesh = UsdGeom.Mesh.Get(stage, "/World/Boat/Hull")
    assert frame in mesh.GetPointsAttr().GetTimeSamples()
    world = np.array(UsdGeom.XformCache(frame).GetLocalToWorldTransform(mesh.GetPrim()))
    placed = np.asarray(mesh.GetPointsAttr().Get(frame), np.float64) @ world[:3, :3] + world[3, :3]
    ours = evaluate(project, frame)
    assert np.allclose(placed @ TURN.T * 0.01, ours["Hull"].points, atol=1e-5)
    strength = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("strength_Patchy").Get(frame)
    assert np.allclose(strength, ours.strength("Hull", "Patchy"))
    low, high = mesh.GetExtentAttr().Get(frame)
    points = np.asarray(mesh.GetPointsAttr().Get(frame))
    assert np.allclose(low, points.min(axis=0), atol=1e-3)
    assert np.allclose(high, points.max(axis=0), atol=1e-3)
    buoys = UsdGeom.PointInstancer.Get(stage, "/World/Buoys")
    placed = np.asarray(buoys.GetPositionsAttr().Get(frame)) @ TURN.T * 0.01
    assert np.allclose(placed, ours["Buoys"].positions, atol=1e-5)
    assert np.allclose(buoys.GetScalesAttr().Get(frame), ours["Buoys"].scales, atol=1e-5)


def test_the_layer_holds_nothing_but_what_was_changed(boat, tmp_path):
    _, project = boat
    write_over(project, 1001, 1003, tmp_path / "over.usda")
    layer = Sdf.Layer.FindOrOpen(str(tmp_path / "over.usda"))
    assert list(layer.subLayerPaths) == ["./boat.usda"]
    hull = layer.GetPrimAtPath("/World/Boat/Hull")
    assert hull.specifier == Sdf.SpecifierOver
    assert set(hull.attributes.keys()) == {"points", "normals", "extent", "primvars:strength_Patchy"}
    assert "faceVertexIndices" not in layer.ExportToString()


def test_the_compliance_checker_passes_both(boat, tmp_path):
    path, project = boat
    write_over(project, 1001, 1002, tmp_path / "over.usda")
    before = failed_checks(path)
    assert failed_checks(tmp_path / "over.usda") == before


def test_what_has_no_effects_gets_no_opinion_and_what_is_hidden_is_hidden(boat, tmp_path):
    _, project = boat
    bare = tuple(structs.replace(shape, effects=(), visible=shape.name != "Hull") for shape in project.scene.shapes)
    write_over(project.with_scene(structs.replace(project.scene, shapes=bare)), 1001, 1002, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    assert UsdGeom.Imageable(stage.GetPrimAtPath("/World/Boat/Hull")).ComputeVisibility(1001) == "invisible"
    layer = Sdf.Layer.FindOrOpen(str(tmp_path / "over.usda"))
    assert set(layer.GetPrimAtPath("/World/Boat/Hull").attributes.keys()) == {"visibility"}
    assert layer.GetPrimAtPath("/World/Buoys") is None


def test_other_faces_and_new_colours_are_said_too(boat, tmp_path):
    path, project = boat
    project = imported(path, {"Hull": (slot(Color((1.0, 0.0, 0.0))), slot(Hide(), "effect-2"))})
    write_over(project, 1001, 1004, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    mesh = UsdGeom.Mesh.Get(stage, "/World/Boat/Hull")
    for frame in (1001, 1004):
        ours = evaluate(project, frame)["Hull"]
        assert list(mesh.GetFaceVertexIndicesAttr().Get(frame)) == ours.topology.corners.tolist()
        assert len(mesh.GetPointsAttr().Get(frame)) == len(ours.points)


def test_colours_that_come_and_go_do_not_stand_in_between(boat, tmp_path):
    path, _ = boat
    project = imported(path, {"Hull": (slot(Color((1.0, 0.0, 0.0))),)})
    ends = Range(Keyed((Key(1001, 0.5), Key(1004, -9.0), Key(1010, -9.0))), -10.0)
    patchy = structs.replace(PATCHY, range=ends)
    write_over(
        project.with_scene(structs.replace(project.scene, falloffs=(patchy,))), 1001, 1010, tmp_path / "over.usda"
    )
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    color = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath("/World/Boat/Hull")).GetPrimvar("displayColor")
    assert len(color.Get(1008)) == 4


def test_new_shapes_stand_beside_the_original_in_its_space(boat, tmp_path):
    _, project = boat
    slab = Shape("slab", "Slab", Grid(2.0, 1.0, 3, 2), Transform((1.0, 2.0, 3.0)))
    scene = structs.replace(project.scene, shapes=(*project.scene.shapes, slab))
    write_over(project.with_scene(scene), 1001, 1002, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    mesh = UsdGeom.Mesh.Get(stage, "/World/Added/Slab")
    world = np.array(UsdGeom.XformCache(1001).GetLocalToWorldTransform(mesh.GetPrim()))
    placed = np.asarray(mesh.GetPointsAttr().Get(1001), np.float64) @ world[:3, :3] + world[3, :3]
    assert np.allclose(placed @ TURN.T * 0.01, evaluate(project.with_scene(scene), 1001)["Slab"].points, atol=1e-5)


def test_a_skinned_mesh_is_not_skinned_again(tmp_path):
    path = shots.skinned_stage(tmp_path / "mast.usda")
    project = imported(path, {"Skin": (slot(Move((0.0, 0.5, 0.0))),)})
    write_over(project, 1, 10, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    cache = UsdSkel.Cache()
    root = UsdSkel.Root.Get(stage, "/World/Mast")
    cache.Populate(root, Usd.PrimDefaultPredicate)
    bound = [query.GetPrim().GetPath() for item in cache.ComputeSkelBindings(root, Usd.PrimDefaultPredicate)
             for query in item.GetSkinningTargets()]  # fmt: skip
    assert bound == []
    points = np.asarray(UsdGeom.Mesh.Get(stage, "/World/Mast/Skin").GetPointsAttr().Get(10))
    assert np.allclose(points, evaluate(project, 10)["Skin"].points, atol=1e-5)


def test_only_some_shapes_are_written_when_they_are_named(boat, tmp_path):
    _, project = boat
    hull = next(shape.id for shape in project.scene.shapes if shape.name == "Hull")
    write_over(project, 1001, 1002, tmp_path / "over.usda", only={hull})
    layer = Sdf.Layer.FindOrOpen(str(tmp_path / "over.usda"))
    assert layer.GetPrimAtPath("/World/Buoys") is None
    usd_out.write(project, 1001, 1002, tmp_path / "whole.usda", only={hull})
    stage = Usd.Stage.Open(str(tmp_path / "whole.usda"))
    assert stage.GetPrimAtPath("/World/Hull")
    assert not stage.GetPrimAtPath("/World/Buoys")


def test_of_several_stages_the_one_of_the_named_shapes_is_written_over(boat, tmp_path):
    path, project = boat
    both = with_shot(project, listed(shots.skinned_stage(tmp_path / "mast.usda"), project.scene)).project
    with pytest.raises(ExchangeError, match="several stages"):
        write_over(both, 1001, 1002, tmp_path / "over.usda")
    hull = next(shape.id for shape in both.scene.shapes if shape.name == "Hull")
    write_over(both, 1001, 1002, tmp_path / "over.usda", only={hull})
    assert list(Sdf.Layer.FindOrOpen(str(tmp_path / "over.usda")).subLayerPaths) == [f"./{path.name}"]


def test_what_cannot_be_an_over_says_why(boat, tmp_path, small_sample):
    path, project = boat
    with pytest.raises(ExchangeError, match="no USD stage to write over"):
        write_over(small_sample, 1, 2, tmp_path / "over.usda")
    with pytest.raises(ExchangeError, match="the scene reads this file"):
        write_over(project, 1001, 1002, path)
    assert not (tmp_path / "over.usda").exists()


def test_native_instances_stay_instances_and_stand_where_the_scene_has_them(tmp_path):
    path = shots.instanced_stage(tmp_path / "crates.usda")
    effects = (
        slot(Move((0.0, 2.0, 0.0)), "effect-1", acts_on="pieces"),
        slot(Scale((2.0, 1.0, 1.0)), "effect-2", acts_on="pieces"),
        slot(Color((1.0, 0.0, 0.0)), "effect-3", acts_on="pieces"),
    )
    crates = imported(path, {"crate_0": effects})
    write_over(crates, 1, 3, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    for frame in (1, 3):
        ours = evaluate(crates, frame)
        copies = ours["crate_0"]
        for number in range(3):
            prim = stage.GetPrimAtPath(f"/World/crate_{number}")
            assert prim.IsInstance()
            world = np.array(UsdGeom.XformCache(frame).GetLocalToWorldTransform(prim)).T
            assert np.allclose(world[:3, 3], copies.positions[number], atol=1e-5)
            axes = copies.axes[number].reshape(3, 3) * copies.scales[number]
            assert np.allclose(world[:3, :3], axes, atol=1e-5)
            primvars = UsdGeom.PrimvarsAPI(prim)
            color = np.array(primvars.GetPrimvar("displayColor").Get(frame))
            assert np.allclose(color, copies.attribute(Domain.PIECE, "color")[number], atol=1e-6)
            strength = primvars.GetPrimvar("strength_Patchy").Get(frame)
            assert strength == pytest.approx(ours.strength("crate_0", "Patchy")[number], abs=1e-6)
            proxy = next(iter(Usd.PrimRange(prim, Usd.TraverseInstanceProxies())))
            assert UsdGeom.Imageable(proxy).ComputeVisibility(frame) == "inherited"
    assert failed_checks(tmp_path / "over.usda") == failed_checks(path)


def test_instances_that_are_hidden_or_made_real_are_gone_in_the_over(tmp_path):
    path = shots.instanced_stage(tmp_path / "crates.usda")
    crates = imported(path, {"crate_0": (slot(Hide(0.35, "under"), acts_on="pieces"),)})
    write_over(crates, 1, 2, tmp_path / "hidden.usda")
    stage = Usd.Stage.Open(str(tmp_path / "hidden.usda"))
    shown = evaluate(crates, 1)["crate_0"].shown
    seen = [
        UsdGeom.Imageable(stage.GetPrimAtPath(f"/World/crate_{number}")).ComputeVisibility(1) == "inherited"
        for number in range(3)
    ]
    assert seen == shown.tolist()
    assert 0 < sum(seen) < 3
    real = imported(path, {"crate_0": (slot(Move((0.0, 1.0, 0.0))),)})
    write_over(real, 1, 2, tmp_path / "real.usda")
    stage = Usd.Stage.Open(str(tmp_path / "real.usda"))
    assert all(
        UsdGeom.Imageable(stage.GetPrimAtPath(f"/World/crate_{number}")).ComputeVisibility(1) == "invisible"
        for number in range(3)
    )
    added = UsdGeom.Mesh.Get(stage, "/World/Added/crate_0")
    assert len(added.GetPointsAttr().Get(1)) == len(evaluate(real, 1)["crate_0"].points)


def test_an_over_of_instances_written_in_parts_is_the_one_written_at_once(tmp_path):
    path = shots.instanced_stage(tmp_path / "crates.usda")
    effects = (
        slot(Move((0.0, 2.0, 0.0)), "effect-1", acts_on="pieces"),
        slot(Color((1.0, 0.0, 0.0)), "effect-2", acts_on="pieces"),
        slot(Hide(0.9, "over"), "effect-3", acts_on="pieces"),
    )
    crates = imported(path, {"crate_0": effects})
    ends = Range(Keyed((Key(2, 0.5), Key(5, -9.0), Key(8, 0.5))), Keyed((Key(2, -0.5), Key(5, -10.0), Key(8, -0.5))))
    crates = crates.with_scene(structs.replace(crates.scene, falloffs=(structs.replace(PATCHY, range=ends),)))
    write_over(crates, 1, 10, tmp_path / "whole.usda")
    parts = []
    for first, last in ((1, 3), (4, 4), (5, 9), (10, 10)):
        parts.append(LayerPart(tmp_path / f"{first}.usdc", first, last))
        write_over(crates, first, last, parts[-1].path)
    join_layers(parts, tmp_path / "joined.usda", 1.0, ["./crates.usda"])
    assert (tmp_path / "joined.usda").read_text() == (tmp_path / "whole.usda").read_text()


def test_the_whole_has_cameras_controls_and_velocities(boat, tmp_path):
    _, project = boat
    usd_out.write(project, 1001, 1010, tmp_path / "whole.usda")
    stage = Usd.Stage.Open(str(tmp_path / "whole.usda"))
    camera = UsdGeom.Camera.Get(stage, "/World/Camera")
    assert camera.GetCamera(1004).aspectRatio == pytest.approx(36 / 20.25, rel=1e-5)
    place = UsdGeom.Xformable(stage.GetPrimAtPath("/World/Controls/Boat")).ComputeLocalToWorldTransform(1004)
    assert np.allclose(place.ExtractTranslation(), [3.0, 0.5, 0.0], atol=1e-5)
    buoys = UsdGeom.PointInstancer.Get(stage, "/World/Buoys")
    velocities = np.asarray(buoys.GetVelocitiesAttr().Get(1005))
    before, after = (evaluate(project, frame)["Buoys"].positions for frame in (1004, 1006))
    assert np.allclose(velocities, (after - before) * 12.0, atol=1e-5)
    assert velocities[0, 1] > 0.2
    assert failed_checks(tmp_path / "whole.usda") == []


def test_an_over_of_a_part_of_the_shot_leaves_the_stage_its_range(boat, tmp_path):
    _, project = boat
    out = tmp_path / "out" / "over.usda"
    out.parent.mkdir()
    write_over(project, 1004, 1005, out)
    stage = Usd.Stage.Open(str(out))
    assert (stage.GetStartTimeCode(), stage.GetEndTimeCode()) == (1001, 1010)
