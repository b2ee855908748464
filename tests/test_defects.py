"""What a frank reading found wrong once, each with the case that showed it."""

import json
import threading

import numpy as np
import pytest
from msgspec import structs
from pxr import Usd, UsdGeom

from estompe.document import edits, file
from estompe.document.check import SceneError, check_change
from estompe.document.project import Project, asset_name
from estompe.document.renaming import rename
from estompe.document.resolving import Resolver
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Shape
from estompe.effects.group import Group
from estompe.effects.shell import Shell
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.running.ledger import Ledger
from estompe.exchange.formats import scene_writer_for
from estompe.geometry import Domain, frozen
from estompe.geometry.attributes import RESERVED, fits
from estompe.importing.mesh import read_mesh
from estompe.kinds import register
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.kinds.registry import kinds
from estompe.render import Look, Renderer, Viewpoint
from estompe.render.picture import items_of
from estompe.shapes.sphere import Sphere
from tests.scenes import one_push


@pytest.mark.parametrize("name", ["color", "uv", "one_sided", "order"])
def test_a_group_called_like_a_reserved_attribute_is_harmless(name):
    sphere = Sphere(0.5, 4)
    members = frozen(np.ones(len(sphere.build({}).points), np.bool_))
    group = EffectSlot("g", Group(name, asset_name(members)))
    color = EffectSlot("c", kinds(Effect)["color"]())
    scene = Scene((Shape("s", "S", sphere, effects=(group, color, EffectSlot("o", Shell(0.1, mode="outline")))),))
    frame = evaluate(Project(scene, {asset_name(members): members}), 1)
    for (_, found), values in frame["s"].attributes.items():
        assert fits(found, values)
    renderer = Renderer()
    assert renderer.draw(items_of(frame), Viewpoint((0, 0, 3), (0, 0, 0)), Look(), (64, 48)).any()
    renderer.release()
    assert RESERVED["color"].width == 3


def test_renaming_rewrites_the_formulas_that_name_the_thing():
    project = one_push()
    path = ("shapes", "sphere", "effects", "push", "effect", "amount")
    scene = edits.put(project.scene, path, Formula("Lamp.position.x * 2 + 'Near'.gone"))
    before = Resolver(scene, 1).scene()
    renamed = rename(rename(scene, ("controls", "lamp"), "Old lantern"), ("falloffs", "near"), "Reach")
    assert edits.get(renamed, path).text == "'Old lantern'.position.x * 2 + Reach.gone"
    assert edits.get(Resolver(renamed, 1).scene(), path) == edits.get(before, path)
    memo = Memo()
    kept = evaluate(project.with_scene(scene), 1, memo)["sphere"].points
    assert np.array_equal(evaluate(project.with_scene(renamed), 1, memo)["sphere"].points, kept)


def test_ids_are_unique_over_a_whole_scene():
    scene = one_push().scene
    twin = structs.replace(scene.shapes[0], id="twin", name="Twin")
    with pytest.raises(SceneError, match="push"):
        check_change(structs.replace(scene, shapes=(*scene.shapes, twin)), scene)


def test_budgets_count_what_is_owned_and_shared_arrays_once():
    scene = Scene((Shape("s", "S", Sphere(0.5, 12), effects=(EffectSlot("d", Subdivide(2)),)),))
    frame = evaluate(Project(scene), 1)
    mesh = frame["s"]
    mesh.normals, mesh.topology.neighbours  # noqa: B018 - computed, and owned from now on
    owned = {id(array): array.nbytes for array in frame.arrays()}
    ledger = Ledger()
    ledger.enter("frame", frame)
    assert ledger.total >= 0.95 * sum(owned.values()) > 4 * mesh.points.nbytes
    ledger.enter("again", frame)
    assert ledger.total < 1.05 * sum(owned.values())
    ledger.remove("frame")
    ledger.remove("again")
    assert ledger.total == 0


def test_a_source_that_returns_nonsense_is_a_problem_at_its_card_and_the_frame_goes_on():
    def measure(_self, elements, _context):
        return np.zeros(len(elements) - 1, np.float32)

    body = {"label": "Short", "text": "One value too few.", "measure": measure}
    kind = type(Source)("Short", (Source,), body, tag="test:short")
    before = dict(kinds(Source))
    register(kind)
    try:
        project = one_push()
        layers = (*project.scene.falloffs[0].layers, Layer("short", kind()))
        frame = evaluate(project.with_scene(edits.put(project.scene, ("falloffs", "near", "layers"), layers)), 1)
        assert frame.problems[0].path == ("falloffs", "near", "layers", "short")
        assert "its kind has a mistake" in frame.problems[0].text
        assert np.isfinite(frame["sphere"].points).all()
    finally:
        kinds(Source).clear()
        kinds(Source).update(before)


def test_the_schema_has_the_title_it_is_given():
    assert file.schema()["title"] == f"Estompe scene, version {file.VERSION}"
    assert json.dumps(file.schema())


def test_usd_keeps_the_scenes_unit(tmp_path):
    scene = structs.replace(one_push().scene, metres_per_unit=0.01, first=1, last=1)
    path = tmp_path / "cm.usda"
    scene_writer_for(path).write(Project(scene), 1, 1, path, lambda *_: None)
    assert UsdGeom.GetStageMetersPerUnit(Usd.Stage.Open(str(path))) == 0.01
    same, metres = (np.ptp(read_mesh(path, metres_per_unit=unit).points[:, 1]) for unit in (0.01, 1.0))
    assert same == pytest.approx(1.0, abs=0.1)
    assert metres == pytest.approx(same / 100)


def test_several_threads_may_ask_one_memo():
    memo, failed = Memo(), []
    moving = Keyed((Key(1, 0.6), Key(60, -0.6)))
    project = one_push(position=(moving, 0.0, 0.0))
    expected = {frame: evaluate(project, frame, Memo())["sphere"].points for frame in range(1, 12)}

    def ask(offset: int) -> None:
        for frame in (1 + (step * offset) % 11 for step in range(40)):
            if not np.array_equal(evaluate(project, frame, memo)["sphere"].points, expected[frame]):
                failed.append(frame)

    threads = [threading.Thread(target=ask, args=(offset,)) for offset in (1, 3, 7)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []


def test_a_falloff_may_look_at_one_that_looks_at_a_shape():
    """Stages that are asked for while others run must be there."""
    other = kinds(Source)["falloff"]("surface")
    surface = kinds(Source)["surface"]("b")
    falloffs = (
        Falloff("surface", "Surface", (Layer("l1", surface),), Range(0.0, 1.0)),
        Falloff("outer", "Outer", (Layer("l2", other),), Range(1.0, 0.0)),
    )
    push = EffectSlot("p", kinds(Effect)["push"](0.1), (Route("outer"),))
    shapes = (Shape("a", "A", Sphere(0.5, 6), effects=(push,)), Shape("b", "B", Sphere(0.3, 6)))
    frame = evaluate(Project(Scene(shapes, falloffs=falloffs)), 1)
    assert frame.problems == ()
    assert (Domain.POINT, "x") not in frame["a"].attributes
    assert np.abs(frame["a"].points - frame["a"].rest).max() > 0.01
