"""Values of another frame come to the same elements here, by their ids, or are a problem in words."""

import numpy as np
import pytest
from msgspec import structs
from tests.scenes import LINEAR

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene
from estompe.effects.grow import Grow
from estompe.effects.hide import Hide
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.effects.separate import Separate
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.falloffs.distance import Distance
from estompe.falloffs.lag import Lag
from estompe.falloffs.speed import Speed
from estompe.falloffs.spread import Spread
from estompe.geometry import Domain, Geometry, GeometryError
from estompe.geometry.copies import Copies
from estompe.geometry.matching import brought, identity_digest, matched
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.setups.adding import add_control, add_falloff, add_shape
from estompe.shapes.primitives import box, grid
from estompe.shapes.sphere import Sphere


def _copies(ids) -> Copies:
    count = len(ids)
    places = np.stack([np.asarray(ids, np.float32), np.zeros(count), np.zeros(count)], axis=1).astype(np.float32)
    axes = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (count, 1))
    ones, ranks = np.ones((count, 3), np.float32), np.zeros(count, np.float32)
    return Copies((box((1, 1, 1), 1),), np.zeros(count, np.int32), places, axes, ones, np.asarray(ids), ranks)


def _ball(*effects: EffectSlot, **near) -> Project:
    """A ball that a control passes, and two falloffs: `near` it, and `late`, the same some frames earlier."""
    scene, control = add_control(Scene())
    path = ("controls", control, "transform", "position")
    scene = edits.put(scene, path, (Keyed((Key(1.0, -2.0, "linear"), Key(49.0, 2.0, "linear"))), 0.0, 0.5))
    scene, _ = add_falloff(scene, "Near", (Layer("reach", Distance(control)),))
    falloff = Falloff("near", "Near", (Layer("reach", Distance(control)),), Range(0.2, 0.6), LINEAR)
    late = structs.replace(falloff, id="late", name="Late", **(near or {"at_frame": Formula("frame - 12")}))
    scene = structs.replace(scene, falloffs=(falloff, late))
    scene, shape = add_shape(scene, "Ball", Sphere(0.5, 12))
    return Project(edits.put(scene, ("shapes", shape, "effects"), effects))


def _slot(name, effect, falloff, **more) -> EffectSlot:
    return EffectSlot(name, effect, (Route(falloff),), **more)


def _radii(frame) -> np.ndarray:
    return np.linalg.norm(frame["Ball"].points, axis=1)


def test_ids_find_elements_wherever_they_stand():
    here, there = _copies([7, 3, 9, 4]), _copies([3, 4, 7])
    assert matched(here, there, Domain.PIECE).tolist() == [2, 0, -1, 1]
    values = np.array([0.3, 0.4, 0.7], np.float32)
    # Copy 9 was not there: the nearest one at rest is 7, which lies at x = 7.
    assert brought(values, here, there, Domain.PIECE).tolist() == pytest.approx([0.7, 0.3, 0.7, 0.4])
    assert matched(here, _copies([7, 3, 9, 4]), Domain.PIECE) is None
    assert brought(np.zeros(0, np.float32), here, _copies([]), Domain.PIECE).tolist() == [0.0] * 4


def test_numbers_count_only_where_they_mean_the_same_points():
    mesh = grid(1.0, 1.0, 2, 2)
    again = grid(1.0, 1.0, 2, 2)
    assert matched(mesh, again, Domain.POINT) is None
    assert identity_digest(mesh, Domain.POINT) == identity_digest(again, Domain.POINT)
    turned = Geometry.from_faces(mesh.points, mesh.topology.corners[::-1].copy(), mesh.topology.offsets)
    assert len(turned.points) == len(mesh.points)
    with pytest.raises(GeometryError, match="numbered anew"):
        matched(mesh, turned, Domain.POINT)
    assert identity_digest(mesh, Domain.POINT) != identity_digest(turned, Domain.POINT)
    with pytest.raises(GeometryError, match="9 here and 16 there"):
        matched(mesh, grid(1.0, 1.0, 3, 3), Domain.POINT)


def test_a_falloff_of_another_frame_on_more_points_is_a_problem_with_frame_and_cause():
    project = _ball(_slot("finer", Subdivide(1), "near"), _slot("push", Push(0.2), "late"))
    frame = evaluate(project, 29)
    assert len(frame["Ball"].points) > len(evaluate(project, 17)["Ball"].points)
    text = " ".join(item.text for item in frame.problems)
    assert "Late: on frame 17 there are" in text
    assert "because of its effect Subdivide" in text
    # What does not fit does nothing: the points stay on the ball, where Subdivide rounds them.
    assert 0.49 < _radii(frame).min() <= _radii(frame).max() < 0.501


@pytest.mark.parametrize("frame", range(14, 50, 5))
def test_lag_after_an_effect_that_changes_points_is_right_or_a_problem(frame):
    project = _ball(_slot("finer", Subdivide(1), "near"), _slot("push", Push(0.2), "late"))
    lag = Falloff("late", "Late", (Layer("lag", Lag("near", 12.0)),), Range(1.0, 0.0), LINEAR)
    made = evaluate(project.with_scene(edits.put(project.scene, ("falloffs", "late"), lag)), frame)
    assert _radii(made).max() < 0.701
    if made.problems:
        assert made.problems[0].text.startswith("Lag: on frame ")
        assert _radii(made).max() < 0.501


def test_pieces_that_did_not_exist_then_are_a_problem_and_stay_where_they_are():
    project = _ball(_slot("part", Separate(), "late"), _slot("go", Move((0.0, 1.0, 0.0)), "late", acts_on="pieces"))
    problems, moved = [], []
    for number in range(20, 60, 4):
        frame = evaluate(project, number)
        rise = (frame["Ball"].points - frame["Ball"].rest)[:, 1]
        problems += frame.problems
        moved.append((float(rise.min()), float(rise.max())))
    assert problems
    assert all(low >= -1e-6 and high <= 1.0 + 1e-6 for low, high in moved)


def test_points_that_keep_their_numbers_are_followed_through_hiding():
    project = _ball(_slot("hide", Hide(0.5), "near", acts_on="faces"), _slot("push", Push(0.2), "late"))
    frame = evaluate(project, 32)
    assert not frame.problems
    assert _radii(frame).max() > 0.65


def test_speed_of_other_points_is_a_problem_even_where_their_count_is_the_same():
    project = _ball(_slot("finer", Subdivide(1), "near"), _slot("push", Push(0.2), "late"))
    fast = Falloff("late", "Late", (Layer("speed", Speed()),), Range(1.0, 0.0), LINEAR)
    scene = edits.put(project.scene, ("falloffs", "late"), fast)
    told = [item.text for item in evaluate(project.with_scene(scene), 29).problems]
    assert any("others on the frame before" in text for text in told)


def test_a_volume_takes_strengths_of_another_frame_by_its_voxels():
    project = _ball(_slot("grow", Grow(reach=0.2, voxel=0.05), "late"))
    there = evaluate(_ball(_slot("grow", Grow(reach=0.2, voxel=0.05), "near")), 20)
    here = evaluate(project, 32)
    assert not here.problems
    assert np.array_equal(here["Ball"].points, there["Ball"].points)


def test_what_is_remembered_ends_with_words_where_elements_are_others_though_as_many():
    project = _ball(_slot("push", Push(0.2), "late"))
    spread = Falloff("late", "Late", (Layer("spread", Spread("near")),), Range(1.0, 0.0), LINEAR)
    scene = edits.put(project.scene, ("falloffs", "late"), spread)
    past = Past(project.with_scene(scene), Memo())
    evaluate(past.project, 6, past.memo, None, past)
    (place,) = past.links
    digest = past.links[place][5]
    entry = past.keep._entries[digest]
    past.keep._entries[digest] = entry._replace(kept=structs.replace(entry.kept, identity=bytes(16)))
    frame = evaluate(past.project, 7, Memo(), None, _over(past, {6}))
    assert any("there were others" in item.text for item in frame.problems)


def _over(past: Past, forgotten: set[int]) -> Past:
    """The same past over its states, some of which are forgotten."""
    again = Past(past.project, Memo(), past.keep)
    for links in past.links.values():
        for number in forgotten:
            past.keep.drop(links[number])
    return again
