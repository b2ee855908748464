"""Brush, marks, density, wiping, the followed point, and the tools on effects and their special fields."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from estompe.app.fields.joints import JointsField
from estompe.app.fields.mask import MaskField
from estompe.app.fields.points import PointsField
from estompe.app.fields.poses import PosesField
from estompe.app.fields.profile import ProfileField
from estompe.app.fields.several import SeveralField
from estompe.app.fields.text import FormulaField, PictureField
from estompe.app.model.brush import Brush, touched
from estompe.effects.joints import Joints
from estompe.effects.poses import Poses
from estompe.effects.press import Press
from estompe.exchange.writers import obj
from estompe.falloffs.distance import Distance
from estompe.falloffs.painted import Painted
from estompe.geometry import Domain
from estompe.geometry.samples import samples_of
from estompe.kinds.numbers import plain
from estompe.setups.adding import add_effect
from estompe.setups.catalog import entry
from estompe.shapes import primitives
from tests.app.driving import LEFT

GLOW = ("falloffs", "lantern-glow")


def _shown(sample, kind):
    found = [item for item in sample.window.findChildren(kind) if item.isVisible()]
    assert found, f"no visible {kind.__name__}"
    return found[0]


# The brush


def test_a_touch_adds_takes_away_and_blurs():
    sheet = primitives.grid(2.0, 2.0, 40, 40)
    elements = samples_of(sheet, Domain.POINT)
    mask = touched(
        np.zeros(len(sheet.points), np.float32), elements, np.zeros(3), Brush(radius=0.3, amount=0.5), np.eye(4)[:3]
    )
    away = np.linalg.norm(sheet.points, axis=1)
    assert mask.max() == pytest.approx(0.5)
    assert (mask[away > 0.3] == 0).all()
    less = touched(mask, elements, np.zeros(3), Brush("take away", 0.3, 0.2), np.eye(4)[:3])
    assert less.max() == pytest.approx(0.3)
    soft = touched(mask, elements, np.zeros(3), Brush("blur", 0.5), np.eye(4)[:3])
    assert soft.max() < mask.max()
    mirrored = touched(mask * 0, elements, np.array([0.5, 0, 0]), Brush(radius=0.2, mirrored=True), np.eye(4)[:3])
    assert np.allclose(mirrored.reshape(41, 41), mirrored.reshape(41, 41)[:, ::-1], atol=1e-6)


def test_painting_in_the_view_is_one_step_a_stroke_and_is_saved(sample, tmp_path):
    sample.session.playhead.go(60)
    sample.settle()
    sample.keys(Qt.Key.Key_B)
    layer = sample.session.selection.falloff.layers[-1]
    assert isinstance(layer.source, Painted)
    field = _shown(sample, MaskField)
    assert field.paint.isChecked()
    sample.session.painting.set_brush(radius=0.3, amount=1.0)
    sample.settle()
    points = sample.session.evaluator.answer.frame["Amphora"].points
    front = points[np.argmax(points @ np.subtract(sample.view.viewpoint.eye, (0, 0.6, 0)))]
    place = QPointF(*sample.pixel(front))
    sample.drag(sample.view, (place.x(), place.y()), (place.x() - 20, place.y() + 15), steps=4)
    path = (*GLOW, "layers", layer.id, "source", "mask")
    sample.qtbot.waitUntil(lambda: sample.get(*path) != "", timeout=5000)
    sample.qtbot.wait(300)  # every touch of the stroke is answered
    sample.settle()
    mask = sample.session.document.asset(sample.get(*path))
    assert mask.max() > 0.9
    assert 0 < np.count_nonzero(mask) < len(mask)
    assert sample.window.files.save_to(tmp_path / "painted.estompe")
    import estompe

    again = estompe.evaluate(estompe.open(tmp_path / "painted.estompe"), 60)
    assert np.array_equal(again.shown("amphora", "lantern-glow").layer_values(layer.id), mask)
    sample.keys(Qt.Key.Key_B)
    assert sample.session.painting.path is None
    while sample.session.document.undo_label and sample.session.document.undo_label.startswith("Paint"):
        sample.session.document.undo()
    assert sample.get(*path) == ""


# Dense enough, wiping, following a point


def test_a_coarse_mesh_is_said_marked_and_subdivided(sample):
    sample.session.document.put((*GLOW, "range"), type(sample.session.selection.falloff.range)(0.40, 0.42), "Steep")
    sample.session.playhead.go(60)
    sample.settle()
    shown = sample.session.evaluator.answer.current
    strength, edges = shown.strength, shown.mesh.topology.edges
    steepest = np.abs(strength[edges[:, 0]] - strength[edges[:, 1]]).max()
    assert shown.edges_across == pytest.approx(1 / steepest)
    assert "too few, it falls between points" in sample.window.ramp.dense.text()
    count = len(shown.coarse_edges)
    assert count > 0
    sample.keys(Qt.Key.Key_D, Qt.KeyboardModifier.ShiftModifier)
    assert sample.view.marks_coarse
    sample.click(sample.button(sample.window.ramp, "Subdivide there"))
    assert sample.session.selection.shape.effects[0].effect.label == "Subdivide"
    sample.settle()
    assert len(sample.session.evaluator.answer.frame["Amphora"].points) > len(strength)


def test_a_dense_mesh_is_not_complained_about(sample):
    sample.session.document.put((*GLOW, "range"), type(sample.session.selection.falloff.range)(0.0, 9.0), "Wide")
    sample.settle()
    assert sample.window.ramp.dense.text().endswith("edges across")
    assert not sample.window.ramp.mending.isVisible()


def test_wiping_between_then_and_now(sample):
    sample.keys(Qt.Key.Key_W)
    assert "keep a picture first" in sample.window.status.message.text()
    sample.keys(Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    sample.keys(Qt.Key.Key_W)
    middle = sample.view.wipe_at
    sample.drag(sample.view, (middle, 300), (middle - 120, 300))
    assert sample.view.wipe_at == pytest.approx(middle - 120, abs=2)
    sample.session.selection.choose_falloff("swell")
    sample.settle()
    picture = sample.view.grab().toImage()
    assert picture.pixelColor(round(sample.view.wipe_at), 200).name() == "#a63d22"
    sample.keys(Qt.Key.Key_W)
    assert sample.view.wipe_at is None


def test_the_course_of_the_value_at_a_point_and_where_it_lands(sample):
    sample.session.playhead.go(60)
    sample.settle()
    best = int(np.argmax(sample.session.evaluator.answer.current.strength))
    place = QPointF(*sample.pixel(sample.session.evaluator.answer.frame["Amphora"].points[best]))
    sample.move(sample.view, place)
    sample.qtbot.waitUntil(lambda: sample.view.reading is not None, timeout=5000)
    sample.keys(Qt.Key.Key_P)
    shape, point, name = sample.window.time.canvas.pinned
    assert name == f"point {point}"
    assert shape == "amphora"
    sample.qtbot.waitUntil(lambda: len(sample.session.evaluator.worker.ready_frames()) == 144, timeout=60_000)
    course = sample.window.time.canvas.course()
    assert len(course) == 144
    assert course[60] == pytest.approx(float(sample.session.evaluator.answer.current.strength[point]))
    sample.keys(Qt.Key.Key_P)
    assert sample.window.time.canvas.pinned is None


# Tools on effects


def test_effects_are_soloed_duplicated_copied_and_pasted(sample):
    drive = sample.window.drive
    drive.add_effect("move")
    sample.click(sample.button(drive, "Only this effect"))
    assert [effect.enabled for effect in sample.session.selection.shape.effects] == [False, True]
    sample.click(sample.button(drive, "Only this effect"))
    assert [effect.enabled for effect in sample.session.selection.shape.effects] == [True, True]
    sample.click(sample.button(drive, "Duplicate effect"))
    assert [effect.effect.label for effect in sample.session.selection.shape.effects] == ["Push", "Move", "Move"]
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    sample.keys(Qt.Key.Key_C, both)
    sample.session.selection.choose_shape("quay")
    sample.keys(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    labels = [effect.effect.label for effect in sample.get("shapes", "quay", "effects")]
    assert labels == ["Move", "Push", "Move", "Move"]
    ids = [effect.id for shape in sample.session.document.scene.shapes for effect in shape.effects]
    assert len(set(ids)) == len(ids)


def test_keeping_the_volume_of_an_open_mesh_points_out_its_edges(sample):
    sample.session.selection.choose_shape("quay")
    sample.window.drive.add_effect("press")
    effect = sample.session.selection.shape.effects[-1].id
    sample.session.document.put(("shapes", "quay", "effects", effect, "effect", "keep_volume"), True, "Keep")
    sample.settle()
    assert "needs a closed mesh" in sample.window.drive.problems.labels[effect].text()
    sample.click(sample.button(sample.window.drive, "Show the open edges"))
    mesh = sample.session.evaluator.answer.frame["Quay"]
    assert len(sample.session.selection.marked_edges) == len(mesh.topology.open_edges)


def test_the_profile_of_press_is_dragged(sample):
    sample.window.drive.add_effect("press")
    effect = sample.session.selection.shape.effects[-1]
    assert isinstance(effect.effect, Press)
    field = _shown(sample, ProfileField)
    place = field.plot.point_place(1)
    sample.drag(field.plot, (place.x(), place.y()), (place.x() + 40, place.y() + 20))
    point = sample.get("shapes", "amphora", "effects", effect.id, "effect", "profile", 1)
    assert plain(point.position) > 0.3
    assert plain(point.value) < 1.0


def test_a_chain_is_laid_through_the_shape_and_turned(sample):
    sample.window.drive.add_effect("joints")
    effect = sample.session.selection.shape.effects[-1]
    assert isinstance(effect.effect, Joints)
    field = _shown(sample, JointsField)
    sample.settle()
    sample.click(sample.button(field, "Lay a chain through the shape"))
    path = ("shapes", "amphora", "effects", effect.id, "effect", "joints")
    joints = sample.get(*path)
    assert len(joints) == 3
    assert plain(joints[-1].position[1]) == pytest.approx(1.265, abs=0.05)
    sample.type_into(sample.field(*path, "joint-2", "rotation", 2), "30")
    sample.session.document.put(("shapes", "amphora", "effects", effect.id, "routes"), (), "In full")
    sample.settle()
    moved = (
        sample.session.evaluator.answer.frame["Amphora"].points - sample.session.evaluator.answer.frame["Amphora"].rest
    )
    assert np.abs(moved).max() > 0.1
    sample.click(sample.button(_shown(sample, JointsField), "One joint more"))
    assert len(sample.get(*path)) == 4


def test_poses_are_stored_imported_and_refused_when_they_do_not_fit(sample, tmp_path):
    sample.session.playhead.go(60)
    sample.window.drive.add_effect("poses")
    effect = sample.session.selection.shape.effects[-1]
    assert isinstance(effect.effect, Poses)
    sample.settle()
    field = _shown(sample, PosesField)
    sample.click(sample.button(field, "Store the shape as it is now"))
    path = ("shapes", "amphora", "effects", effect.id, "effect", "poses")
    (pose,) = sample.get(*path)
    bulged = sample.session.evaluator.answer.frame["Amphora"].points
    assert np.array_equal(sample.session.document.asset(pose.positions), bulged)
    sample.session.document.put(("shapes", "amphora", "effects", "bulge", "enabled"), False, "Off")
    sample.type_into(sample.field(*path, pose.id, "amount"), "100")
    sample.session.document.put(("shapes", "amphora", "effects", effect.id, "routes"), (), "In full")
    sample.settle()
    assert np.abs(sample.session.evaluator.answer.frame["Amphora"].points - bulged).max() < 1e-6
    obj.write_mesh(primitives.sphere(1.0, 3), "b", tmp_path / "b.obj")
    field.import_pose(tmp_path / "b.obj")
    sample.qtbot.waitUntil(
        lambda: "a pose needs the same points" in sample.window.status.message.text(), timeout=20_000
    )
    assert len(sample.get(*path)) == 1


def test_a_path_gets_points_that_can_be_changed_and_keyed(sample):
    sample.window.add_entry(entry("control:path"))
    control = sample.session.selection.picked[1]
    field = _shown(sample, PointsField)
    assert len(sample.get("controls", control, "points")) == 3
    sample.click(sample.button(field, "One point more"))
    assert sample.get("controls", control, "points", 3) == (1.0, 0.0, 0.0)
    sample.type_into(sample.field("controls", control, "points", 3, 1), "0.5")
    assert sample.get("controls", control, "points", 3) == (1.0, 0.5, 0.0)
    sample.click(sample.button(field, "Remove point 1"))
    assert len(sample.get("controls", control, "points")) == 3
    sample.settle()


def test_several_controls_formulas_and_pictures_have_fields(sample):
    sample.click(sample.window.measure.rows["reach"])
    many = _shown(sample, SeveralField)
    many.toggle("swell-line")
    source = sample.get(*GLOW, "layers", "reach", "source")
    assert isinstance(source, Distance)
    assert source.more == ("swell-line",)
    many.toggle("swell-line")
    assert sample.get(*GLOW, "layers", "reach", "source", "more") == ()
    sample.window.measure.add_layer("formula")
    words = _shown(sample, FormulaField)
    layer = sample.session.selection.layer_id
    words.line.setText("x + * 2")
    words.line.editingFinished.emit()
    assert sample.get(*GLOW, "layers", layer, "source", "formula") == "y"
    assert words.line.selectedText() == "*"
    words.line.setText("x * 2")
    words.line.editingFinished.emit()
    assert sample.get(*GLOW, "layers", layer, "source", "formula") == "x * 2"
    sample.window.measure.add_layer("image")
    picture = _shown(sample, PictureField)
    picture.line.setText("/nowhere/wave.png")
    picture.line.editingFinished.emit()
    sample.settle()
    assert "is not there" in sample.window.measure.problems.labels[sample.session.selection.layer_id].text()


@pytest.mark.parametrize("tag", ["subdivide", "coat"])
def test_a_mask_is_painted_on_the_mesh_that_it_drives_whatever_comes_after(sample, tag):
    sample.session.playhead.go(60)
    sample.settle()
    sample.keys(Qt.Key.Key_B)
    layer = sample.session.selection.falloff.layers[-1]
    document = sample.session.document
    driven = len(sample.session.evaluator.answer.frame["Amphora"].points)
    document.commit(add_effect(document.scene, "amphora", tag, None)[0], "Add")
    sample.settle()
    answer = sample.session.evaluator.answer
    points = answer.frame["Amphora"].points
    assert len(points) != driven
    sample.session.painting.set_brush(radius=0.3, amount=1.0)
    sample.settle()
    front = points[np.argmax(points @ np.subtract(sample.view.viewpoint.eye, (0, 0.6, 0)))]
    place = QPointF(*sample.pixel(front))
    sample.drag(sample.view, (place.x(), place.y()), (place.x() - 20, place.y() + 15), steps=4)
    path = (*GLOW, "layers", layer.id, "source", "mask")
    sample.qtbot.waitUntil(lambda: sample.get(*path) != "", timeout=5000)
    sample.qtbot.wait(300)
    sample.settle()
    mask = document.asset(sample.get(*path))
    assert len(mask) == driven
    assert mask.max() > 0.9
    assert 0 < np.count_nonzero(mask) < len(mask)
    assert not sample.session.evaluator.answer.frame.problems


def test_a_click_elsewhere_is_not_painted(sample):
    sample.qtbot.mouseClick(sample.view, LEFT, Qt.KeyboardModifier.NoModifier, sample.view.rect().bottomLeft())
    assert sample.session.document.undo_label is None


def test_a_mask_for_a_mesh_that_has_changed_is_kept_and_carried_over(sample):
    sample.keys(Qt.Key.Key_B)
    layer = sample.session.selection.falloff.layers[-1].id
    path = (*GLOW, "layers", layer, "source", "mask")
    sample.session.painting.set_brush(radius=0.4, amount=1.0)
    sample.settle()
    sample.session.painting.touch("amphora", np.array([0.37, 0.66, 0.0]))
    painted = sample.session.document.asset(sample.get(*path))
    sample.session.document.put(("shapes", "amphora", "source", "around"), 60, "Finer")
    sample.settle()
    assert "carry it over" in sample.session.evaluator.answer.frame.problems[0].text
    assert np.array_equal(sample.session.document.asset(sample.get(*path)), painted)
    sample.click(sample.button(_shown(sample, MaskField), "Carry it over to this mesh"))
    sample.settle()
    assert not sample.session.evaluator.answer.frame.problems
    mask, rest = sample.session.document.asset(sample.get(*path)), sample.session.evaluator.answer.frame["Amphora"].rest
    assert mask.shape == (len(rest),)
    assert mask.max() == painted.max()
    assert np.linalg.norm(rest[mask > 0.5] - [0.37, 0.66, 0], axis=1).max() < 0.4


def test_a_joint_is_picked_in_the_view_and_turned_with_its_ring(driver):
    from estompe.samples import sample as sample_of

    driver.session.begin(sample_of("octopus-arm").build(0.1), None, "arm")
    driver.session.playhead.go(36)
    driver.settle()
    chain = driver.view.chains()[0]
    driver.click(driver.view, driver.pixel(chain.joints["tip"][0]))
    assert driver.session.selection.picked == (*chain.path, "tip")
    driver.click(driver.view, driver.pixel(chain.joints["root"][0]))
    root = (*chain.path, "root")
    assert driver.session.selection.picked == root
    ring = driver.view.handles().parts[2]
    assert ring.part == "ring"
    driver.drag(driver.view, driver.pixel(ring.line[4]), driver.pixel(ring.line[9]))
    assert abs(driver.get(*root, "rotation", 2)) > 5
    assert driver.session.document.undo_label == "Rotate Root"
    before = chain.joints["tip"][0]
    assert np.linalg.norm(driver.view.chains()[0].joints["tip"][0] - before) > 0.1
    driver.keys(Qt.Key.Key_K)
    assert [key.frame for key in driver.get(*root, "rotation", 2).keys] == [36.0]


def test_a_pivot_is_dragged_in_the_view_and_kept_in_the_shapes_own_space(sample):
    transform = ("shapes", "amphora", "transform")
    sample.session.document.put((*transform, "scale"), (2.0, 2.0, 2.0), "Larger")
    sample.session.document.put((*transform, "position"), (0.0, -0.4, 0.0), "Lower")
    sample.window.drive.add_effect("rotate")
    effect = sample.session.selection.shape.effects[-1].id
    sample.window.drive.opened = None
    sample.window.drive.open_card(effect)
    assert sample.session.selection.picked == ("shapes", "amphora", "effects", effect)
    sample.settle()
    handle = next(part for part in sample.view.handles().parts if part.part == "axis" and part.axis == 1)
    grip = np.mean([sample.pixel(place) for place in handle.line], axis=0)
    before = sample.view.handles().centre
    sample.drag(sample.view, tuple(grip), (grip[0], grip[1] - 60))
    pivot = sample.get("shapes", "amphora", "effects", effect, "effect", "pivot")
    moved = sample.view.handles().centre - before
    assert moved[1] > 0.05
    assert plain(pivot[1]) == pytest.approx(moved[1] / 2, abs=1e-3)
    assert plain(pivot[0]) == pytest.approx(0, abs=1e-3)
    sample.window.drive.open_card(effect)
    assert sample.session.selection.picked == ("shapes", "amphora")
