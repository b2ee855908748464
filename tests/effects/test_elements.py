"""Effects on faces, pieces and copies: one place carries them all, and what measures points measures those."""

import numpy as np
import pytest
from msgspec import structs
from tests.counting import CountingMemo

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Transform
from estompe.effects.bend import Bend
from estompe.effects.color import Color
from estompe.effects.fracture import Fracture
from estompe.effects.group import Group
from estompe.effects.hide import Hide
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.effects.rotate import Rotate
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.separate import Separate
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.background.answers import Request, compute_answer
from estompe.falloffs.distance import Distance
from estompe.falloffs.random import Random
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.geometry.fracture import cutting as fracture
from estompe.geometry.samples import samples_of
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.registry import kinds
from estompe.render.picture import camera_picture, save_png
from estompe.samples import plankton
from estompe.setups.adding import add_control, add_effect, add_falloff, add_shape, new_source
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.imported import stored
from estompe.shapes.sphere import Sphere

PARTED = EffectSlot("parted", Separate())


def _scene():
    scene, control = add_control(Scene(), position=(0.3, 0.4, 0.5))
    scene, falloff = add_falloff(scene, "Near", (Layer("layer", Distance(control)),))
    scene = edits.put(scene, ("falloffs", falloff, "range"), Range(0.2, 0.9))
    scene, sphere = add_shape(scene, "Sphere", Sphere(0.5, 8))
    return (
        edits.put(scene, ("shapes", sphere, "transform"), Transform((0.1, 0, 0), (20, 30, 0), (1, 1, 1))),
        sphere,
        falloff,
    )


def _after(scene, shape, *slots, frame=1):
    made = evaluate(Project(edits.put(scene, ("shapes", shape, "effects"), slots)), frame)
    assert [item.text for item in made.problems] == []
    return made[shape]


def _tiles(scene, columns=6, rows=5, **settings):
    scene, box = add_shape(scene, "Tile", Box(0.1, 0.02, 0.1, 1))
    scene, tiles = add_shape(scene, "Tiles", CopiesOnGrid(box, columns=columns, rows=rows, **settings))
    return scene, tiles


@pytest.mark.parametrize(
    "effect", [Rotate(70.0, "x"), Move((0.1, 0.2, 0.3)), Scale((1.4, 1.4, 1.4)), Rotate(200.0, "z", (0.3, 0, 0))]
)
@pytest.mark.parametrize("acts_on", ["faces", "pieces"])
def test_a_whole_motion_of_elements_is_the_points_own_way(effect, acts_on):
    scene, sphere, _ = _scene()
    parted = (PARTED,) if acts_on == "pieces" else ()
    together = _after(scene, sphere, *parted, EffectSlot("moved", effect, acts_on=acts_on))
    alone = _after(scene, sphere, *parted, EffectSlot("moved", effect))
    assert np.abs(together.points - alone.points).max() < 1e-5


def test_bent_pieces_stay_stiff_and_follow_the_points():
    scene, sphere, _ = _scene()
    before = _after(scene, sphere, PARTED)
    after = _after(scene, sphere, PARTED, EffectSlot("bent", Bend(60.0), acts_on="pieces"))
    points = _after(scene, sphere, PARTED, EffectSlot("bent", Bend(60.0)))
    assert np.abs(after.points - points.points).max() < 0.03
    for corners in np.split(np.arange(len(before.points)), before.topology.offsets[1:-1])[::17]:
        one, two = (np.linalg.norm(mesh.points[corners] - mesh.points[corners[0]], axis=1) for mesh in (before, after))
        assert np.abs(one - two).max() < 1e-5


@pytest.mark.parametrize("tag", [tag for tag, kind in kinds(Effect).items() if len(kind.able()) > 1])
@pytest.mark.parametrize("acts_on", ["faces", "pieces"])
@pytest.mark.parametrize("each", [False, True])
def test_elements_without_strength_keep_every_bit(tag, acts_on, each):
    scene, sphere, falloff = _scene()
    scene, control = add_control(scene, name="Other")
    with_effect, made = add_effect(scene, sphere, tag, None)
    effect = edits.get(with_effect, ("shapes", sphere, "effects", made, "effect"))
    parted = (PARTED,) if acts_on == "pieces" else ()
    slot = EffectSlot("effect", effect, (Route(falloff),), acts_on=acts_on, each=each)
    before, after = _after(scene, sphere, *parted), _after(scene, sphere, *parted, slot)
    frame = evaluate(Project(edits.put(scene, ("shapes", sphere, "effects"), (*parted, slot))), 1)
    strength = frame.strength(sphere, falloff)
    still = strength == 0.0
    assert still.any()
    assert not still.all()
    assert control
    if len(before.points) != len(after.points) or before.topology is not after.topology:
        return  # some have gone
    if acts_on == "pieces":
        unmoved = still[before.pieces.of]
    else:
        unmoved = np.ones(len(before.points), bool)
        unmoved[before.topology.corners[~still[before.topology.corner_faces]]] = False
    assert np.array_equal(after.points[unmoved], before.points[unmoved])
    if tag in ("move", "rotate", "scale", "scatter-apart"):
        assert not np.array_equal(after.points, before.points)


def test_whole_turns_about_their_own_middles_change_nothing():
    scene, sphere, _ = _scene()
    before = _after(scene, sphere, PARTED)
    turned = _after(scene, sphere, PARTED, EffectSlot("turned", Rotate(360.0, "x"), acts_on="pieces", each=True))
    assert np.abs(turned.points - before.points).max() < 2e-6


def test_each_tile_turns_about_its_own_middle_and_axis():
    scene, tiles = _tiles(Scene())
    half = _after(scene, tiles, EffectSlot("turned", Rotate(90.0, "x"), acts_on="pieces", each=True))
    before = _after(scene, tiles)
    assert isinstance(half, Copies)
    assert np.array_equal(half.positions, before.positions)
    # A quarter turn about X brings Y to Z.
    assert half.axes[:, 1::3] == pytest.approx(np.tile([0.0, 0.0, 1.0], (30, 1)), abs=1e-6)
    together = _after(scene, tiles, EffectSlot("turned", Rotate(90.0, "x"), acts_on="pieces"))
    assert together.positions[:, 1] == pytest.approx(-before.positions[:, 2], abs=1e-6)


@pytest.mark.parametrize(
    "effect", [Rotate(35.0, "z"), Bend(40.0), Push(0.2), ScatterApart(rotation=(30.0, 20.0, 10.0))]
)
def test_copies_made_real_before_or_after_an_effect_are_the_same(effect):
    """What carries copies and what carries pieces of a mesh is one thing."""
    scene, tiles = _tiles(Scene())
    nothing = EffectSlot("real", Push(1e-12))  # an effect on points makes copies real
    slot = EffectSlot("moved", effect, acts_on="pieces")
    late, early = _after(scene, tiles, slot, nothing), _after(scene, tiles, nothing, slot)
    assert not isinstance(late, Copies)
    tolerance = 2e-5 if not isinstance(effect, Push) else 0.45  # their normals differ: own axes, or those of the mesh
    assert np.abs(late.points - early.points).max() < tolerance


@pytest.mark.parametrize("tag", [tag for tag in kinds(Source) if tag != "image"])
@pytest.mark.parametrize("acts_on", ["faces", "pieces"])
def test_every_source_measures_elements(tag, acts_on):
    """On faces and pieces it gives one finite number each; where it looks at places alone, that of a point at their middle."""
    scene, sphere, falloff = _scene()
    scene, path = add_control(scene, "path", "Path")
    scene = edits.put(scene, ("controls", path, "points"), ((-1.0, 0, 0), (0.0, 0.3, 0), (1.0, 0, 0.2)))
    scene, other = add_shape(scene, "Other", Sphere(0.3, 6))
    scene, _ = add_effect(scene, sphere, "joints", None)
    joints = edits.get(scene, ("shapes", sphere, "effects"))
    scene, second = add_falloff(scene, "Second", (Layer("second", Distance(scene.controls[0].id)),))
    source = new_source(scene, tag, falloff)
    if tag in ("surface", "inside"):
        source = structs.replace(source, shape=other)
    measured = Falloff(falloff, "Near", (Layer("layer", source),), Range(0.0, 1.0), signed=True)
    scene = edits.put(scene, ("falloffs", falloff), measured)
    parted = (PARTED,) if acts_on == "pieces" else ()
    slots = (*joints, *parted, EffectSlot("moved", Move((0.0, 1e-9, 0.0)), (Route(falloff),), acts_on=acts_on))
    frame = evaluate(Project(edits.put(scene, ("shapes", sphere, "effects"), slots)), 7)
    assert [item.text for item in frame.problems] == []
    shown = frame.shown(sphere, falloff)
    domain = Domain.FACE if acts_on == "faces" else Domain.PIECE
    assert shown.domain is domain
    elements = samples_of(shown.mesh, domain)
    assert len(shown.values) == len(elements) > 50
    assert np.isfinite(shown.values).all()
    if tag in ("distance", "noise", "sweep", "surface", "camera-distance", "along"):
        expected = _at_places(scene, falloff, elements.positions)
        assert shown.values == pytest.approx(expected, abs=2e-5)
    assert second


def _at_places(scene, falloff, places):
    """The falloff's values on a mesh whose points stand at some places."""
    count = len(places) // 3 * 3
    mesh = Geometry.from_faces(places, np.arange(count), np.arange(0, count + 1, 3))
    source, assets = stored(mesh)
    scene, cloud = add_shape(scene, "Cloud", source)
    return evaluate(Project(scene, assets), 7).shown(cloud, falloff).values


def test_random_numbers_stay_with_the_copies_when_others_come():
    falloffs = {}
    for columns in (6, 9):
        scene, falloff = add_falloff(Scene(), "Chance", (Layer("layer", Random(3)),))
        scene, tiles = _tiles(scene, columns)
        frame = evaluate(Project(scene), 1)
        falloffs[columns] = dict(
            zip(frame[tiles].ids.tolist(), frame.shown(tiles, falloff).values.tolist(), strict=True)
        )
    assert falloffs[6].items() <= falloffs[9].items()
    assert len(falloffs[9]) == 45


def test_hiding_by_share_leaves_so_many_and_the_same_ones():
    scene, tiles = _tiles(Scene(), 40, 25)
    scene, falloff = add_falloff(scene, "All")
    shown = {}
    for share in (0.0, 0.3, 0.6, 1.0):
        slot = EffectSlot("hidden", Hide(how="share"), (Route(falloff, share),), acts_on="pieces")
        scene = edits.put(scene, ("falloffs", falloff, "ramp"), edits.get(scene, ("falloffs", falloff, "ramp")))
        shown[share] = _after(scene, tiles, slot).shown
    assert shown[0.0].all()
    assert abs(shown[0.3].mean() - 0.7) < 0.05
    assert not (shown[0.6] & ~shown[0.3]).any()
    assert not shown[1.0].any()


def test_colour_group_and_hide_act_on_faces_and_pieces():
    scene, sphere, falloff = _scene()
    routed = (Route(falloff),)
    faces = _after(scene, sphere, EffectSlot("c", Color((1.0, 0, 0)), routed, acts_on="faces"),
                   EffectSlot("g", Group("near"), routed, acts_on="faces"))  # fmt: skip
    chosen = faces.attribute(Domain.FACE, "near")
    assert 0 < chosen.sum() < faces.topology.faces
    colors = faces.attribute(Domain.FACE, "color")
    assert colors[chosen, 0].min() > colors[~chosen, 0].min()
    hidden = _after(scene, sphere, PARTED, EffectSlot("h", Hide(0.5), routed, acts_on="pieces"))
    assert hidden.topology.faces == faces.topology.faces - chosen.sum()


def test_copies_are_not_made_real_by_effects_falloffs_or_pictures(tmp_path):
    project = plankton.build(0.2)
    answer = compute_answer(Request(project, 7, "plankton", "wave"), Memo())
    copies = answer.frame["plankton"]
    save_png(camera_picture(answer.frame, (160, 100), "wave"), tmp_path / "picture.png")
    assert answer.frame.problems == ()
    assert answer.frame.counts_after("plankton")["heave"] == (len(copies.positions), "copies")
    assert sum(array.nbytes for array in answer.arrays()) > 0
    assert isinstance(copies, Copies)
    assert not copies.is_real
    assert copies.total_points == len(copies.points)
    assert copies.is_real


# Fracture


def _broken(falloff):
    thrown = ScatterApart((0.0, 0.05, 0.0), (0.0, 0.2, 0.0), "outward", (60.0, 60.0, 60.0))
    return (
        EffectSlot("cut", Fracture(40)),
        EffectSlot("thrown", thrown, (Route(falloff),) if falloff else (), acts_on="pieces"),
    )


def test_unbroken_pieces_look_as_the_whole_did():
    scene, sphere, _ = _scene()
    whole = _after(scene, sphere)
    broken = _after(scene, sphere, EffectSlot("cut", Fracture(40)))
    assert len(broken.pieces) == 40
    known = {tuple(point): normal for point, normal in zip(whole.points.tolist(), whole.normals.tolist(), strict=True)}
    found = 0
    inside = broken.attribute(Domain.FACE, "inside")
    skin = np.unique(broken.topology.corners[~inside[broken.topology.corner_faces]])
    for point, normal in zip(broken.points[skin].tolist(), broken.normals[skin].tolist(), strict=True):
        if tuple(point) in known:
            found += 1
            assert known[tuple(point)] == normal
    assert found >= len(whole.points)  # to the bit
    # Caps coincide with the skin wherever they meet it.
    assert len(np.unique(broken.points[skin], axis=0)) < len(skin)
    assert broken.attribute(Domain.POINT, "color")[skin] == pytest.approx(
        np.tile(scene.shapes[0].color, (len(skin), 1)), abs=1e-6
    )


def test_a_sweep_over_a_turning_body_cuts_once(monkeypatch):
    scene, sphere, falloff = _scene()
    cuts = []
    cut = fracture.cut_into_cells
    monkeypatch.setattr("estompe.effects.fracture.cut_into_cells", lambda *args: cuts.append(1) or cut(*args))
    around = Keyed((Key(1.0, 0.0), Key(24.0, 200.0)))
    scene = edits.put(scene, ("shapes", sphere, "transform", "rotation"), (0.0, around, 30.0))
    control = scene.controls[0].id
    across = Keyed((Key(1.0, -1.0), Key(24.0, 1.0)))
    scene = edits.put(scene, ("controls", control, "transform", "position"), (across, 0.2, 0.2))
    scene = edits.put(scene, ("shapes", sphere, "effects"), _broken(falloff))
    memo = CountingMemo()
    project = Project(scene)
    states = [evaluate(project, number, memo)[sphere].points for number in range(1, 25)]
    assert len(cuts) == 1
    assert not np.array_equal(states[0], states[-1])
    afresh = evaluate(project, 24)[sphere].points
    assert np.array_equal(afresh, states[-1])


def test_dragging_a_falloff_computes_nothing_before_it():
    scene, sphere, falloff = _scene()
    scene = edits.put(scene, ("shapes", sphere, "effects"), _broken(falloff))
    memo = CountingMemo()
    evaluate(Project(scene), 1, memo)
    memo.computed.clear()
    evaluate(Project(edits.put(scene, ("falloffs", falloff, "range", "gone"), 0.7)), 1, memo)
    assert sorted(memo.computed) == ["apply", "strength"]


def test_pieces_follow_a_body_that_is_moved_as_if_they_were_cut_there():
    scene, sphere, _ = _scene()
    still = edits.put(scene, ("shapes", sphere, "transform"), Transform())
    here, there = (_after(item, sphere, EffectSlot("cut", Fracture(30))) for item in (still, scene))
    matrix = evaluate(Project(scene), 1)[sphere]
    from estompe.document.transforms import matrix_of

    placed = matrix_of(edits.get(scene, ("shapes", sphere, "transform")))
    assert there.points == pytest.approx(here.points @ placed[:, :3].T + placed[:, 3], abs=2e-6)
    assert len(matrix.points)


def test_cells_are_denser_where_a_falloff_was_strong_at_the_start():
    scene, sphere, falloff = _scene()
    control = scene.controls[0].id
    away = Keyed((Key(1.0, 0.3), Key(20.0, 30.0)))
    scene = edits.put(scene, ("controls", control, "transform", "position"), (away, 0.4, 0.5))
    slot = EffectSlot("cut", Fracture(60), (Route(falloff),))
    first, later = _after(scene, sphere, slot), _after(scene, sphere, slot, frame=20)
    middles = samples_of(first, Domain.PIECE).positions
    near = np.linalg.norm(middles - (0.3, 0.4, 0.5), axis=1) < 0.55
    assert near.mean() > 0.5
    assert np.array_equal(first.points, later.points)


def test_an_open_mesh_is_refused_or_gets_lids():
    scene, sphere, falloff = _scene()
    scene = edits.put(scene, ("shapes", sphere, "transform"), Transform())
    # Half of the sphere, cut at a plane of its points.
    scene = edits.put(
        scene,
        ("falloffs", falloff),
        Falloff(falloff, "Half", (Layer("y", kinds(Source)["height"]()),), Range(0.5, 0.501)),
    )
    hidden = EffectSlot("hidden", Hide(0.5), (Route(falloff),))
    for close in (False, True):
        slots = (hidden, EffectSlot("cut", Fracture(20, close=close)))
        frame = evaluate(Project(edits.put(scene, ("shapes", sphere, "effects"), slots)), 1)
        if not close:
            assert "open edges" in frame.problems[0].text
            assert "Close flat holes" in frame.problems[0].text
            assert len(frame[sphere].pieces) == 1
    assert [item.text for item in frame.problems if "flat" not in item.text] == []


# Scatter


def test_scattered_copies_keep_their_distance_and_their_places():
    scene, sphere, _ = _scene()
    scene, box = add_shape(scene, "Box", Box(0.02, 0.02, 0.02, 1))
    made = {}
    for count in (200, 500):
        with_copies, tiles = add_shape(scene, "Copies", ScatteredCopies(form=box, surface=sphere, count=count))
        made[count] = evaluate(Project(with_copies), 1)[tiles]
    assert np.array_equal(made[500].positions[:200], made[200].positions)
    assert np.array_equal(made[500].ids[:200], made[200].ids)
    hexagonal = np.sqrt(2 * np.pi * 4 * 0.25 / (np.sqrt(3) * 500) / 2)
    apart = np.linalg.norm(made[500].positions[:, None] - made[500].positions[None], axis=2)
    np.fill_diagonal(apart, 9.0)
    assert apart.min() > 0.6 * hexagonal
    assert np.linalg.norm(made[500].positions - (0.1, 0, 0), axis=1) == pytest.approx(0.5, abs=0.02)


def test_scattered_copies_ride_on_what_they_stand_on():
    scene, sphere, falloff = _scene()
    scene, box = add_shape(scene, "Box", Box(0.02, 0.02, 0.02, 1))
    scene, tiles = add_shape(scene, "Copies", ScatteredCopies(form=box, surface=sphere, count=150))
    before = evaluate(Project(scene), 1, memo := Memo())[tiles]
    swollen = edits.put(scene, ("shapes", sphere, "effects"), (EffectSlot("push", Push(0.25)),))
    after = evaluate(Project(swollen), 1, memo)[tiles]
    assert np.array_equal(before.ids, after.ids)
    middle = np.array([0.1, 0, 0])
    one, two = before.positions - middle, after.positions - middle
    assert np.linalg.norm(two, axis=1) == pytest.approx(np.linalg.norm(one, axis=1) * 1.5, rel=0.01)
    assert (one * two).sum(axis=1) / np.linalg.norm(one, axis=1) / np.linalg.norm(two, axis=1) == pytest.approx(
        1.0, abs=1e-4
    )
    assert falloff


def test_too_dense_a_scatter_says_how_many_fit():
    scene, sphere, _ = _scene()
    scene, box = add_shape(scene, "Box", Box())
    scene, tiles = add_shape(scene, "Copies", ScatteredCopies(form=box, surface=sphere, by="spacing", spacing=0.0005))
    problem = evaluate(Project(scene), 1).problems[0]
    assert problem.path == ("shapes", tiles)
    assert "would fit" in problem.text
    assert "use at least" in problem.text
