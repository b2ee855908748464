"""Cast, Measure, Ramp and Drive: everything that can be done in them, and what is refused."""

import re
from typing import get_args

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLineEdit

from estompe.app import units
from estompe.app.panels.drive import Chip
from estompe.app.panels.thumbnail import HEIGHT, WIDTH, layer_picture
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.effects.poses import Pose
from estompe.kinds.context import ControlForm
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.numbers import Keyed
from estompe.kinds.registry import kinds
from estompe.setups.adding import add_control, add_shape, new_shape_source
from estompe.setups.catalog import entries, entry
from estompe.shapes.imported import ImportedMesh
from estompe.shapes.sphere import Sphere
from tests.app.driving import LEFT

GLOW = ("falloffs", "lantern-glow")


def _height(sample, row) -> int:
    """How far below the top of Cast a row stands."""
    return row.mapTo(sample.window.cast, row.rect().topLeft()).y()


def test_cast_lists_everything_and_marks_what_is_current(sample):
    rows = sample.window.cast.rows
    assert [path[-1] for path in sorted(rows, key=lambda path: _height(sample, rows[path]))] == [
        "amphora",
        "quay",
        "lantern",
        "swell-line",
        "lantern-glow",
        "swell",
        "camera",
    ]
    assert [path for path, row in rows.items() if row.current] == [("shapes", "amphora"), ("controls", "lantern"), GLOW]
    sample.click(rows["falloffs", "swell"])
    sample.click(sample.window.cast.rows["shapes", "quay"])
    assert (sample.session.selection.falloff_id, sample.session.selection.shape_id) == ("swell", "quay")


def test_rows_that_stay_are_not_built_again_and_stand_in_the_scenes_order(sample):
    cast, scene = sample.window.cast, sample.session.document.scene
    before = dict(cast.rows)
    cast.duplicate(("controls", "lantern"))
    kept = {path: row for path, row in cast.rows.items() if path in before}
    assert all(before[path] is row for path, row in kept.items())
    QTest.qWait(20)
    shown = [
        path[-1]
        for path in sorted(cast.rows, key=lambda path: _height(sample, cast.rows[path]))
        if path[0] == "controls"
    ]
    assert shown == [item.id for item in sample.session.document.scene.controls]
    assert len(shown) == len(scene.controls) + 1


def test_cast_renames_hides_reorders_duplicates_and_removes(sample):
    cast, session = sample.window.cast, sample.session
    row = cast.rows["controls", "lantern"]
    QTest.mouseDClick(row, LEFT)
    editor = row.findChild(QLineEdit)
    QTest.keyClicks(editor, "Lamp")
    QTest.keyClick(editor, Qt.Key.Key_Return)
    assert session.document.undo_label == "Rename Lantern"
    assert sample.get("controls", "lantern", "name") == "Lamp"
    sample.click(sample.button(cast.rows["shapes", "quay"], "Hide"))
    assert sample.get("shapes", "quay", "visible") is False
    sample.keys(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier, on=cast.rows["shapes", "amphora"])
    assert [shape.id for shape in session.document.scene.shapes] == ["quay", "amphora"]
    row = cast.rows["shapes", "amphora"]
    sample.drag(row, (60, 12), (60, -20))
    assert [shape.id for shape in session.document.scene.shapes] == ["amphora", "quay"]
    cast.duplicate(("controls", "lantern"))
    assert [control.name for control in session.document.scene.controls] == ["Lamp", "Lamp 2", "Swell line"]
    assert session.selection.picked[0] == "controls"
    sample.keys(Qt.Key.Key_Delete)
    assert [control.name for control in session.document.scene.controls] == ["Lamp", "Swell line"]


def test_removing_what_a_falloff_looks_at_says_so_in_place(sample):
    sample.window.cast.remove(("controls", "lantern"))
    sample.settle()
    first, second = sample.session.selection.falloff.layers
    said, other = (sample.window.measure.problems.labels[layer.id] for layer in (first, second))
    assert said.isVisible()
    assert not other.isVisible()
    assert "it looks at a control that is not in the scene" in said.text()
    rows = sample.window.measure.rows
    assert rows[first.id].y() < said.y() < rows[second.id].y()
    assert "1 problem" in sample.window.status.facts.text()
    sample.session.document.undo()
    sample.settle()
    assert not any(words.isVisible() for words in sample.window.measure.problems.labels.values())


def test_each_effect_says_what_is_wrong_below_itself(sample):
    drive = sample.window.drive
    drive.add_effect("poses")
    poses, push = sample.session.selection.shape.effects[-1], sample.session.selection.shape.effects[0]
    path = ("shapes", "amphora", "effects", poses.id)
    sample.session.document.put((*path, "effect", "poses"), (Pose("a", "A", "0" * 64, 1.0),), "Pose")
    sample.session.document.commit(edits.reorder(sample.session.document.scene, path, 0), "First")
    sample.settle()
    said = drive.problems.labels[poses.id]
    assert "its data is not in the file" in said.text()
    assert said.isVisible()
    assert drive.cards[poses.id].y() < said.y() < drive.cards[push.id].y()
    assert not drive.problems.labels[push.id].isVisible()
    sample.session.document.put(("shapes", "amphora", "source"), ImportedMesh("0" * 64, "1" * 64, "2" * 64), "Lost")
    sample.settle()
    assert "import it again" in drive.problems.labels[""].text()


_NEEDS = {"along": "needs a control of the form path", "bend": "needs a Joints effect"}
_ASKS = {
    "image": "no picture is chosen yet",
    "inside": "the shape is not closed",
}


@pytest.mark.parametrize("tag", [tag for tag in kinds(Source) if tag in _NEEDS])
def test_a_source_that_needs_something_says_what(sample, tag):
    before = sample.session.document.scene
    sample.window.measure.add_layer(tag)
    assert _NEEDS[tag] in sample.window.status.message.text()
    assert sample.session.document.scene is before


@pytest.mark.parametrize("tag", [tag for tag in kinds(Source) if tag not in _NEEDS])
def test_every_source_can_be_added_opened_and_worked_out(sample, tag):
    sample.window.measure.add_layer(tag)
    layer = sample.session.selection.falloff.layers[-1]
    assert sample.session.selection.layer_id == layer.id
    assert layer.source.__struct_config__.tag == tag
    sample.settle()
    problems = [problem.text for problem in sample.session.evaluator.answer.frame.problems]
    assert len(problems) == (tag in _ASKS)
    assert all(_ASKS[tag] in text for text in problems)
    picture = sample.window.measure.rows[layer.id].picture.pixmap()
    assert (picture.width(), picture.height()) == (WIDTH, HEIGHT)


@pytest.mark.parametrize("tag", kinds(Effect))
def test_every_effect_can_be_added_opened_and_worked_out(sample, tag):
    sample.window.drive.add_effect(tag)
    effect = sample.session.selection.shape.effects[-1]
    fed = ("lantern-glow",) if kinds(Effect)[tag].fed_at_first else ()
    assert tuple(route.falloff for route in effect.routes) == fed
    assert sample.window.drive.opened == effect.id
    sample.settle()
    counted = sample.window.drive.cards[effect.id].points.text().replace("\u00a0", "")
    assert re.fullmatch(r"\d+( faces| pieces| cells| parts?)?", counted)


def test_layers_open_in_place_and_can_be_changed(sample):
    sample.click(sample.window.measure.rows["grain"])
    assert sample.session.selection.layer_id == "grain"
    sample.type_into(sample.field(*GLOW, "layers", "grain", "source", "amount"), "0.25")
    assert sample.get(*GLOW, "layers", "grain", "source", "amount") == 0.25
    assert sample.window.measure.rows["grain"].about.text() == "0.25 m"
    box = next(
        b for b in sample.window.measure.findChildren(QComboBox) if b.accessibleName() == "Join" and b.isVisible()
    )
    box.setCurrentIndex(box.findData("larger"))
    box.activated.emit(box.currentIndex())
    assert sample.get(*GLOW, "layers", "grain", "join") == "larger"
    sample.click(sample.button(sample.window.measure, "Switch layer off"))
    assert sample.get(*GLOW, "layers", "grain", "enabled") is False
    sample.click(sample.button(sample.window.measure, "Remove layer"))
    assert [layer.id for layer in sample.session.selection.falloff.layers] == ["reach"]


def test_a_layer_may_have_a_ramp_of_its_own_and_shows_it(sample):
    sample.click(sample.window.measure.rows["reach"])
    sample.click(sample.button(sample.window.measure, "give it a ramp of its own"))
    assert sample.get(*GLOW, "layers", "reach", "range") is not None
    assert sample.window.ramp.path == (*GLOW, "layers", "reach")
    sample.settle()
    assert sample.session.evaluator.answer.shown["amphora"].layer_values("reach").max() <= 1
    sample.click(sample.button(sample.window.measure, "use the falloff's ramp"))
    assert sample.window.ramp.path == GLOW


def test_the_ramp_follows_while_a_point_is_dragged(sample):
    plot = sample.window.ramp.plot
    strengths = []
    sample.session.evaluator.answered.connect(
        lambda answer: strengths.append(float(answer.shown["amphora"].strength.max()))
    )
    sample.session.playhead.go(62)
    sample.settle()
    strengths.clear()
    place = plot.point_place(0)
    begin, end = (place.x(), place.y()), (place.x(), place.y() + 60)
    QTest.mousePress(plot, LEFT, Qt.KeyboardModifier.NoModifier, place.toPoint())
    for step in range(1, 5):
        sample.move(plot, place + (plot.point_place(0) - place) * 0 + type(place)(0, 15 * step), LEFT)
        sample.settle()
    QTest.mouseRelease(plot, LEFT)
    assert len(strengths) >= 4
    assert strengths == sorted(strengths, reverse=True)
    assert strengths[-1] < 0.8
    assert sample.session.document.undo_label == "Move ramp point of Lantern glow"
    sample.session.document.undo()
    assert sample.get(*GLOW, "ramp", 0, "value") == 1.0
    assert begin != end


def test_ramp_points_are_added_shaped_keyed_and_removed(sample):
    plot = sample.window.ramp.plot
    middle = (plot.end_place("full") + plot.end_place("gone")) / 2
    QTest.mouseDClick(plot, LEFT, Qt.KeyboardModifier.NoModifier, type(plot.point_place(0))(middle, 20).toPoint())
    assert len(sample.session.selection.falloff.ramp) == 3
    plot = sample.window.ramp.plot
    plot.point_shaped.emit(1, "step")
    assert sample.get(*GLOW, "ramp", 1, "interpolation") == "step"
    sample.session.numbers.toggle_key((*GLOW, "ramp", 1, "value"))
    assert isinstance(sample.get(*GLOW, "ramp", 1, "value"), Keyed)
    sample.click(plot, (plot.point_place(1).x(), plot.point_place(1).y()))
    sample.keys(Qt.Key.Key_Delete, on=sample.window.ramp.plot)
    assert len(sample.session.selection.falloff.ramp) == 2
    for _ in range(3):
        sample.window.ramp.plot.point_removed.emit(0)
    assert len(sample.session.selection.falloff.ramp) == 1
    assert "keeps at least one point" in sample.window.status.message.text()


def test_range_ends_are_dragged_in_the_plot(sample):
    plot = sample.window.ramp.plot
    x = plot.end_place("full")
    value = plot._value(x + 25)
    sample.drag(plot, (x, 100), (x + 25, 100))
    assert sample.get(*GLOW, "range", "full") == pytest.approx(value, abs=0.01)
    assert sample.session.document.undo_label == "Set Lantern glow full within"


def test_the_histogram_counts_every_point_of_the_shape(sample):
    shown = sample.session.evaluator.answer.current
    counts, low, high = shown.histogram(shown.values)
    expected, edges = np.histogram(shown.values, 48)
    assert counts.sum() == len(shown.values)
    assert np.abs(counts - expected).sum() <= 4  # a value on a bin's border may fall to either side
    assert (low, high) == (pytest.approx(edges[0]), pytest.approx(edges[-1]))


def test_chips_are_inked_for_the_current_falloff_and_choose_it(sample):
    sample.session.selection.choose_shape("quay")
    chips = [chip for chip in sample.window.drive.findChildren(Chip) if chip.isVisible()]
    assert [(chip.text, chip.inked) for chip in chips] == [("Swell 100 %", False)]
    sample.click(chips[0])
    assert sample.session.selection.falloff_id == "swell"
    assert next(chip for chip in sample.window.drive.findChildren(Chip) if chip.isVisible()).inked


def test_effects_are_fed_switched_reordered_and_removed(sample):
    drive = sample.window.drive
    drive.add_effect("move")
    moved = sample.session.selection.shape.effects[1].id
    sample.session.selection.choose_falloff("swell")
    sample.click(sample.button(drive, "Feed by the current falloff"))
    assert [route.falloff for route in sample.session.selection.shape.effects[1].routes] == ["lantern-glow", "swell"]
    sample.click(sample.button(drive, "Remove route"))
    assert [route.falloff for route in sample.session.selection.shape.effects[1].routes] == ["swell"]
    sample.click(sample.button(drive, "Switch effect off"))
    assert sample.session.selection.shape.effects[1].enabled is False
    sample.keys(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier, on=drive.cards[moved])
    assert [effect.id for effect in sample.session.selection.shape.effects] == [moved, "bulge"]
    sample.click(sample.button(drive, "Remove effect"))
    assert [effect.id for effect in sample.session.selection.shape.effects] == ["bulge"]


def test_numbers_are_dragged_finely_and_as_one_step(sample):
    sample.window.drive.open_card("bulge")
    path = ("shapes", "amphora", "effects", "bulge", "effect", "amount")
    field = sample.field(*path)
    sample.drag(field, (20, 10), (60, 10))
    assert sample.get(*path) == pytest.approx(0.13 + 40 * 0.005)
    sample.drag(field, (20, 10), (60, 10), modifier=Qt.KeyboardModifier.ShiftModifier)
    assert sample.get(*path) == pytest.approx(0.13 + 44 * 0.005)
    sample.session.document.undo()
    sample.session.document.undo()
    assert sample.get(*path) == 0.13


@pytest.mark.parametrize("text", ["nan", "inf", "1e999", "abc", "1 2", ""])
def test_words_that_are_no_number_change_nothing_and_say_so(sample, text):
    sample.window.drive.open_card("bulge")
    path = ("shapes", "amphora", "effects", "bulge", "effect", "amount")
    before = sample.session.document.scene
    with sample.qtbot.waitSignal(sample.session.messages.said) as said:
        sample.type_into(sample.field(*path), text)
    assert sample.session.document.scene is before
    assert said.args[1] == "error"
    assert "Amount" in said.args[0]


def test_a_number_outside_its_limits_is_refused(sample):
    sample.click(sample.window.measure.rows["grain"])
    field = sample.field(*GLOW, "layers", "grain", "source", "roughness")
    sample.type_into(field, "150")
    assert sample.get(*GLOW, "layers", "grain", "source", "roughness") == 0.5
    assert "Roughness must be at most 1" in sample.window.status.message.text()
    sample.drag(field, (20, 10), (400, 10))
    assert sample.get(*GLOW, "layers", "grain", "source", "roughness") == 1.0


def test_the_dot_keys_a_number_and_a_keyed_one_gets_keys_when_changed(sample):
    path = ("shapes", "amphora", "effects", "bulge", "effect", "amount")
    sample.window.drive.open_card("bulge")
    sample.settle()
    field = sample.field(*path)
    sample.click(field, (field.width() - 8, 11))
    assert [(key.frame, key.value) for key in sample.get(*path).keys] == [(1.0, 0.13)]
    sample.session.playhead.go(30)
    sample.type_into(sample.field(*path), "0,3")
    assert [(key.frame, key.value) for key in sample.get(*path).keys] == [(1.0, 0.13), (30.0, 0.3)]
    sample.keys(Qt.Key.Key_K, on=sample.field(*path))
    assert [key.frame for key in sample.get(*path).keys] == [1.0]


def test_whole_numbers_and_shapes_own_settings(sample):
    sample.session.selection.choose_shape("quay")
    sample.settle()
    sample.type_into(sample.field("shapes", "quay", "source", "columns"), "10")
    sample.settle()
    assert sample.get("shapes", "quay", "source", "columns") == 10
    assert isinstance(sample.get("shapes", "quay", "source", "columns"), int)
    rows = sample.get("shapes", "quay", "source", "rows")
    assert len(sample.session.evaluator.answer.frame["Quay"].points) == 11 * (rows + 1)


def test_shapes_controls_and_falloffs_are_added_from_the_menu(driver):
    driver.window.files.new_scene()
    made = [item for item in entries("shape") if item.group == "make"]
    for item in (*made, *entries("control")):
        driver.window.add_entry(item)
    driver.window.run("add_falloff")
    driver.window.measure.add_layer("distance")
    driver.settle()
    assert [shape.name for shape in driver.session.document.scene.shapes] == [item.label for item in made]
    assert [control.form for control in driver.session.document.scene.controls] == list(get_args(ControlForm))
    assert not driver.session.evaluator.answer.frame.problems


@pytest.mark.parametrize("item", [item for item in entries("shape") if item.group != "make"], ids=lambda item: item.tag)
def test_shapes_made_of_others_are_added_from_the_menu(driver, item):
    scene, first = add_shape(Scene(), "First", Sphere(0.1, 3))
    scene, second = add_shape(scene, "Second", Sphere(0.8, 4))
    scene, path = add_control(scene, "path", "Path")
    scene = edits.put(scene, ("controls", path, "points"), ((0.0, 0.0, 0.0), (1.0, 0.5, 0.0), (2.0, 0.0, 0.0)))
    kind = kinds(ShapeSource)[item.tag]
    if kind.branches_setting:
        scene, _ = add_shape(scene, "Branches", new_shape_source(scene, "branches-surface", second))
    before = [shape.name for shape in scene.shapes]
    driver.session.begin(Project(scene), None, "copies")
    driver.session.selection.choose_shape(first)
    driver.window.add_entry(item)
    driver.settle()
    made = driver.session.selection.shape
    assert made.name == item.label
    assert driver.session.evaluator.answer.frame.problems == ()
    assert driver.get("shapes", first, "visible") == (item.group != "copy")
    assert driver.get("shapes", second, "visible")
    if item.group == "copy":
        # It stands below what it is copies of, and effects act on copies at first.
        rows = driver.window.cast.rows
        assert (
            rows["shapes", made.id].layout().contentsMargins().left()
            > rows["shapes", first].layout().contentsMargins().left()
        )
    driver.window.drive.add_effect("rotate")
    # Branches hang together, so their points are moved at first.
    assert driver.session.selection.shape.effects[-1].acts_on == ("points" if kind.makes_branches else "pieces")
    driver.settle()
    driver.window.run("undo")
    driver.window.run("undo")
    assert [shape.name for shape in driver.session.document.scene.shapes] == before


def test_what_needs_a_second_shape_says_so(driver):
    scene, _ = add_shape(Scene(), "Only", Sphere(0.1, 3))
    driver.session.begin(Project(scene), None, "alone")
    driver.window.add_entry(entry("shape:copies-scatter"))
    assert driver.window.status.message.text() == "Copies scattered needs a second shape: add one first"
    assert len(driver.session.document.scene.shapes) == 1


@pytest.mark.parametrize("item", entries("recipe"), ids=lambda item: item.tag)
def test_every_recipe_gives_a_set_up_that_works(driver, item):
    scene, _ = add_shape(Scene(), "Other", Sphere(0.1, 3))
    scene = edits.put(scene, ("shapes", "shape-1", "transform", "position"), (1.5, 0.0, 0.0))
    scene, shape = add_shape(scene, "Ball", Sphere(0.4, 6))
    driver.session.begin(Project(scene), None, "recipe")
    driver.session.selection.choose_shape(shape)
    driver.settle()
    driver.window.add_entry(item)
    # What spreads from neighbour to neighbour is everywhere soon on so coarse a ball.
    part = 4 if item.tag in ("catch-fire", "eat-away") else 2
    first, last = driver.session.document.scene.first, driver.session.document.scene.last
    driver.session.playhead.go(first + (last - first) // part)
    driver.settle()
    answer = driver.session.evaluator.answer
    assert answer.frame.problems == ()
    if item.tag not in ("arcs-between", "merge-these"):
        assert answer.current is not None
        assert answer.current.strength.max() > 0.3
        assert answer.current.strength.min() < 0.7
    driver.window.run("undo")
    assert driver.session.document.scene == scene


def test_a_source_that_needs_a_control_gets_one(driver):
    driver.window.files.new_scene()
    driver.window.run("add_falloff")
    (control,) = driver.session.document.scene.controls
    assert driver.session.document.scene.falloffs[0].layers[0].source.control == control.id
    driver.window.run("push_near")
    assert "choose a shape first" in driver.window.status.message.text()


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("1.5", "length", 1.5),
        ("0,25 m", "length", 0.25),
        ("50", "fraction", 0.5),
        ("50 %", "fraction", 0.5),
        ("-12°", "degrees", -12),
        ("2×", "times", 2),
    ],
)
def test_numbers_as_typed(text, unit, value):
    assert units.parsed(text, unit) == pytest.approx(value)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (0.7, "length", "0.70 m"),
        (-1.2345, "length", "−1.234 m"),
        (0.5, "fraction", "50 %"),
        (45, "degrees", "45.0°"),
        (-0.0001, "length", "0.00 m"),
        (1.0, "times", "1.00 ×"),
    ],
)
def test_numbers_as_shown(value, unit, text):
    assert units.shown(value, unit) == text


def test_a_layers_picture_shows_its_values():
    points = np.random.default_rng(0).random((5000, 3), np.float32) * np.float32([2, 1, 0.1])
    picture = layer_picture(points, points[:, 0].copy(), falling=False)
    left, right = (picture.pixelColor(x, HEIGHT // 2) for x in (3, WIDTH - 3))
    assert left.lightness() > right.lightness() + 60


def test_a_random_walk_through_the_window_can_be_undone(sample):
    session, drive, measure = sample.session, sample.window.drive, sample.window.measure
    first = session.document.scene
    measure.add_layer("noise")
    drive.add_effect("move")
    session.playhead.go(20)
    session.numbers.toggle_key((*GLOW, "range", "gone"))
    sample.window.ramp.plot.range_dragged.emit("gone", 1.4)
    session.document.end_gesture()
    sample.window.cast.duplicate(("shapes", "amphora"))
    sample.window.cast.remove(("falloffs", "swell"))
    last = session.document.scene
    while session.document.undo_label:
        session.document.undo()
    assert session.document.scene is first
    while session.document.redo_label:
        session.document.redo()
    assert session.document.scene is last
    assert edits.exists(last, ("shapes", "amphora"))


def test_return_ends_typing_and_does_not_open_the_field_again(sample):
    sample.window.drive.open_card("bulge")
    field = sample.field("shapes", "amphora", "effects", "bulge", "effect", "amount")
    sample.type_into(field, "0.2")
    assert field.value == 0.2
    assert not [editor for editor in field.findChildren(QLineEdit) if editor.isVisible()]


def test_numbers_as_they_are_shown():
    assert units.counted(1234567) == "1\u00a0234\u00a0567"
    assert units.per_cent(0.415) == "42\u00a0%"
    assert units.fixed(-0.00001, 4) == "0.0000"
    assert units.fixed(-1.25, 2) == "−1.25"
