"""Cloth as an effect: held and released, following what it hangs on, met by obstacles, torn into pieces; and what is refused."""

import numpy as np
import pytest
from scipy.spatial import cKDTree
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform
from estompe.effects.cloth import Cloth
from estompe.effects.hide import Hide
from estompe.effects.scale import Scale
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.kernels.surface import nearest_on_surface
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes import primitives
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

pytestmark = pytest.mark.thorough

_UPRIGHT = Transform((0.0, 0.5, 0.0), (90.0, 0.0, 0.0))


def _hung(cloth, released="y < 0.99", place=_UPRIGHT, points=24, shapes=(), controls=(), more=(), falloffs=()):
    """A sheet of one metre, cloth where a formula says."""
    made = Falloff("released", "Released", (Layer("l", source("formula", released)),), AS_IT_IS, SAME)
    slots = (EffectSlot("cloth", cloth, (Route("released"),)), *more)
    sheet = Shape("sheet", "Sheet", Grid(1.0, 1.0, points, points), place, slots)
    return Project(Scene((sheet, *shapes), controls, (made, *falloffs), first=1, last=96))


def _frames(project, *numbers):
    past = Past(project, Memo())
    return [evaluate(project, number, past.memo, None, past) for number in numbers]


def test_what_is_held_follows_the_mesh_to_the_bit_and_the_rest_hangs_on_it():
    swung = Transform((Keyed((Key(1, 0.0), Key(24, 0.6))), 0.5, 0.0), (90.0, 0.0, 0.0))
    project = _hung(Cloth(), "y < 0.99", swung)
    bare = project.with_scene(edits.put(project.scene, ("shapes", "sheet", "effects"), ()))
    for number in (1, 12, 24, 40):
        (frame,) = _frames(project, number)
        assert not frame.problems
        before = evaluate(bare, number)["sheet"].points
        held = before[:, 1] >= 0.99
        assert held.sum() == 25
        assert np.array_equal(frame["sheet"].points[held], before[held])


def test_where_nothing_is_released_nothing_moves_to_the_bit():
    project = _hung(Cloth(wind=(3.0, 0.0, 0.0)), "0")
    bare = project.with_scene(edits.put(project.scene, ("shapes", "sheet", "effects"), ()))
    assert np.array_equal(evaluate(project, 30)["sheet"].points, evaluate(bare, 30)["sheet"].points)
    torn = _hung(Cloth(patch=0.3), "0")
    points = evaluate(torn, 30)["sheet"].points
    assert set(map(tuple, points.round(5))) == set(map(tuple, evaluate(bare, 30)["sheet"].points.round(5)))


def test_it_is_released_live_and_for_good():
    for for_good in (True, False):
        project = _hung(Cloth(for_good=for_good), "(y < 0.99) * (frame > 10) * (frame < 20)")
        at = {frame.number: frame["sheet"].points for frame in _frames(project, 10, 18, 30)}
        assert np.abs(at[10] - at[10][0]).max() <= 1.0001
        assert np.array_equal(at[10][:, 2], evaluate(project, 5)["sheet"].points[:, 2])
        still = np.abs(at[30] - at[10]).max()
        assert (still > 1e-3) == for_good


def test_no_point_lies_in_a_moving_ball():
    """A ball whips through at five metres a second."""
    across = Keyed((Key(1, -1.2, "linear"), Key(13, 1.3, "linear")))
    ball = Control("ball", "Ball", transform=Transform((0.0, 0.4, across)))
    project = _hung(Cloth(control="ball", radius=0.25, thickness=0.004), controls=(ball,))
    for frame in _frames(project, 5, 7, 9, 12, 13):
        assert not frame.problems
        control = next(item for item in frame.scene.controls if item.id == "ball")
        far = np.linalg.norm(frame["sheet"].points.astype(np.float64) - control.transform.position, axis=1)
        assert far.min() >= 0.25 - 1e-5


def test_it_lies_on_a_closed_shape_and_not_in_it():
    table = Shape("table", "Table", Sphere(0.4, 12), Transform((0.0, -0.3, 0.0)))
    project = _hung(Cloth(shape="table", thickness=0.01, damping=0.5), "1", Transform((0.0, 0.3, 0.0)), shapes=(table,))
    frame = _frames(project, 30)[0]
    assert not frame.problems
    mesh = frame["table"]
    found = nearest_on_surface(frame["sheet"].points, mesh.tree)
    middle = np.linalg.norm(frame["sheet"].points - (0.0, -0.3, 0.0), axis=1)
    assert ((middle > 0.39) | (found.distance < 2e-3)).all()
    assert frame["sheet"].points[:, 1].max() > 0.08
    assert (found.distance < 0.02).mean() > 0.3


@pytest.mark.parametrize(("friction", "slides"), [(1.2, False), (0.2, True)])
def test_friction_holds_it_on_a_slope_or_not(friction, slides):
    """On a slope of 30 degrees it stays where friction is over its tangent, 0.577, and else slides by the difference."""
    slope = Control("slope", "Slope", "plane", Transform((0.0, 0.0, 0.0), (0.0, 0.0, -30.0)))
    place = Transform((0.0, 0.012, 0.0), (0.0, 0.0, -30.0))
    cloth = Cloth(control="slope", radius=0.01, thickness=0.002, friction=friction, damping=0.0, drag=0.0)
    project = _hung(cloth, "1", place, points=8, controls=(slope,))
    frame, later = _frames(project, 13, 25)
    along = np.array([np.cos(np.radians(30)), -np.sin(np.radians(30)), 0.0])
    begun = evaluate(project, 1)["sheet"].points.mean(axis=0)
    way = [float((item["sheet"].points.mean(axis=0) - begun) @ along) for item in (frame, later)]
    expected = 9.81 * (np.sin(np.radians(30)) - friction * np.cos(np.radians(30)))
    if slides:
        assert way[1] == pytest.approx(expected / 2, rel=0.12)
    else:
        assert abs(way[1]) < 0.02


def test_torn_pieces_are_pieces_for_what_comes_after():
    small = EffectSlot("small", Scale((0.5, 0.5, 0.5)), acts_on="pieces", each=True)
    project = _hung(Cloth(patch=0.25, holds=0.2), more=(small,))
    frame = _frames(project, 30)[0]
    assert not frame.problems
    mesh = frame["sheet"]
    assert mesh.pieces.word == "rag"
    assert len(mesh.pieces) > 1
    assert mesh.topology.faces == 24 * 24
    assert len(mesh.rest) == len(mesh.points)
    counts = {len(item["sheet"].points) for item in _frames(project, 2, 10, 30)}
    assert len(counts) == 1


def test_before_anything_tears_there_are_no_seams():
    whole, cut = (_frames(_hung(Cloth(patch=patch, holds=100.0)), 8)[0]["sheet"] for patch in (0.0, 0.25))
    used = np.unique(cut.topology.corners)
    assert len(used) == len(whole.points)
    places = {tuple(point): normal for point, normal in zip(whole.points.round(3), whole.normals, strict=True)}
    assert len(cut.pieces) == 1
    assert cut.normals[used].shape == whole.normals.shape
    assert len(places) == len(whole.points)


def test_a_weak_place_tears_first_and_faces_can_be_hidden_after():
    weak = Falloff("weak", "Weak", (Layer("l", source("formula", "y < 0.6")),), AS_IT_IS, SAME)
    gone = EffectSlot("gone", Hide(0.5), (Route("weak"),), acts_on="faces")
    project = _hung(Cloth(patch=0.2, holds=50.0, weak="weak"), more=(gone,), falloffs=(weak,))
    frame = _frames(project, 16)[0]
    assert not frame.problems
    upper = frame["sheet"].points[:, 1] > 0.7
    torn = frame.after("sheet", "cloth")
    assert len(torn.pieces) > 3
    of = torn.pieces.of[: len(upper)]
    assert len(np.unique(of[upper])) == 1


def test_every_order_of_asking_and_fractions_of_frames():
    project = _hung(Cloth(patch=0.25, holds=0.4, wind=(0.0, 0.0, 2.0)), points=14)
    fresh = {number: _frames(project, number)[0]["sheet"].points for number in (6, 14, 14.5)}
    past = Past(project, Memo())
    for number in (14, 6, 14.5, 14):
        made = evaluate(project, number, past.memo, None, past)["sheet"].points
        assert np.array_equal(made, fresh[number])
    assert past.steps == 14


def test_what_cannot_be_is_said_and_the_frame_goes_on():
    opened = Shape("opened", "Open", Grid(1.0, 1.0, 4, 4), Transform((0.0, -1.0, 0.0)))
    frame = _frames(_hung(Cloth(shape="opened"), shapes=(opened,)), 5)[0]
    assert ["not closed" in problem.text for problem in frame.problems] == [True]
    assert np.isfinite(frame["sheet"].points).all()
    hidden = _hung(Cloth())
    scene = edits.insert(hidden.scene, ("shapes", "sheet", "effects"), EffectSlot("hidden", Hide()), 0)
    frame = _frames(hidden.with_scene(scene), 3)[0]
    assert all("no faces" in problem.text for problem in frame.problems)
    wild = _hung(Cloth(wind=(0.0, 0.0, 1e6), drag=100.0, substeps=4))
    frame = _frames(wild, 10)[0]
    assert np.isfinite(frame["sheet"].points).all()


def test_cloth_that_lies_in_its_obstacle_at_first_comes_out():
    ball = Control("ball", "Ball", transform=Transform((0.0, 0.5, 0.0)))
    project = _hung(Cloth(control="ball", radius=0.2, thickness=0.01), controls=(ball,))
    frame = _frames(project, 8)[0]
    assert np.linalg.norm(frame["sheet"].points - (0.0, 0.5, 0.0), axis=1).min() > 0.2


def test_its_card_tells_the_stretch():
    frame = _frames(_hung(Cloth()), 20)[0]
    text = Cloth.summary(frame["sheet"])
    assert text.startswith("largest stretch 1.")
    assert Cloth.summary(primitives.grid(1.0, 1.0, 2, 2)) == ""


def test_layers_that_fold_onto_each_other_keep_apart():
    """A sheet falls edge first onto a floor and folds up there."""
    floor = Control("floor", "Floor", "plane", Transform((0.0, -0.02, 0.0)))
    near = {}
    for apart in (0.0, 0.03):
        cloth = Cloth(
            control="floor", radius=0.02, thickness=0.005, apart=apart, damping=0.6, stiffness=0.4, substeps=24
        )
        project = _hung(cloth, "1", Transform((0.0, 0.55, 0.0), (84.0, 0.0, 0.0)), controls=(floor,), points=20)
        mesh = _frames(project, 30)[0]["sheet"]
        pairs = cKDTree(mesh.points).query_pairs(0.015, output_type="ndarray")
        at_rest = np.linalg.norm(mesh.rest[pairs[:, 0]] - mesh.rest[pairs[:, 1]], axis=1)
        near[apart] = int((at_rest > 0.15).sum())
    assert near[0.0] > 10
    assert near[0.03] <= near[0.0] / 5
