"""The curve editor: keys and tangents dragged, shapes, what lies outside, and links between numbers."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLineEdit

from estompe.kinds.numbers import Formula, Keyed
from tests.app.driving import LEFT

X = ("controls", "lantern", "transform", "position", 0)
AMOUNT = ("shapes", "amphora", "effects", "bulge", "effect", "amount")


@pytest.fixture
def curves(sample):
    """The editor with the lantern's three curves."""
    sample.keys(Qt.Key.Key_G)
    canvas = sample.window.time.curves
    assert canvas.isVisible()
    assert [path for path, _ in canvas.numbers()][:3] == [(*X[:-1], axis) for axis in range(3)]
    return canvas


def _place(canvas, key):
    return canvas.x_of(key.frame), canvas.y_of(key.value)


def test_a_key_is_dragged_in_time_and_value_as_one_step(sample, curves):
    key = sample.get(*X).keys[1]
    begin = _place(curves, key)
    end = (curves.x_of(70), curves.y_of(key.value + 0.5))
    sample.drag(curves, begin, end)
    moved = sample.get(*X).keys[1]
    assert moved.frame == pytest.approx(70, abs=1)
    assert moved.value == pytest.approx(key.value + 0.5, abs=0.05)
    assert sample.session.document.undo_label == "Move key of Lantern position X"
    sample.session.document.undo()
    assert sample.get(*X).keys[1] == key


def test_a_key_cannot_pass_its_neighbours(sample, curves):
    begin = _place(curves, sample.get(*X).keys[1])
    sample.drag(curves, begin, (curves.x_of(140), begin[1]))
    assert sample.get(*X).keys[1].frame == 95


def test_tangents_are_dragged_and_given_back(sample, curves):
    key = sample.get(*X).keys[1]
    sample.click(curves, _place(curves, key))
    assert curves.picked.frame == key.frame
    end = curves.tangent_end(sample.get(*X), key, "out")
    sample.drag(curves, (end.x(), end.y()), (end.x(), end.y() - 25))
    steeper = sample.get(*X).keys[1]
    assert steeper.slope_out > 0
    assert steeper.slope_in == steeper.slope_out  # both sides go along unless Alt is held
    end = curves.tangent_end(sample.get(*X), steeper, "in")
    sample.drag(curves, (end.x(), end.y()), (end.x(), end.y() - 20), modifier=Qt.KeyboardModifier.AltModifier)
    assert sample.get(*X).keys[1].slope_in != steeper.slope_in
    assert sample.get(*X).keys[1].slope_out == steeper.slope_out
    menu = curves.menu_for(curves.picked)
    next(action for action in menu.actions() if "find its slope" in action.text()).trigger()
    assert sample.get(*X).keys[1].slope_out is None


def test_keys_get_shapes_and_behaviours_from_the_menu(sample, curves):
    sample.click(curves, _place(curves, sample.get(*X).keys[0]))
    menu = curves.menu_for(curves.picked)
    next(action for action in menu.actions() if action.text().startswith("step")).trigger()
    assert sample.get(*X).keys[0].interpolation == "step"
    menu = curves.menu_for(curves.picked)
    after = next(action.menu() for action in menu.actions() if action.text() == "After the keys")
    next(action for action in after.actions() if action.text() == "loop").trigger()
    assert sample.get(*X).after == "loop"


def test_a_double_click_on_a_curve_makes_a_key(sample, curves):
    number = sample.get(*X)
    at = QPointF(curves.x_of(30), curves.y_of(number.at(30)))
    sample.qtbot.mouseDClick(curves, LEFT, Qt.KeyboardModifier.NoModifier, at.toPoint())
    assert 30.0 in [key.frame for key in sample.get(*X).keys]


def test_a_field_takes_a_formula_and_shows_what_is_wrong_in_place(sample):
    sample.window.drive.open_card("bulge")
    field = sample.field(*AMOUNT)
    sample.type_into(field, "frame / 200")
    assert sample.get(*AMOUNT) == Formula("frame / 200")
    sample.session.playhead.go(50)
    sample.settle()
    assert field.value == pytest.approx(0.25)
    before = sample.session.document.scene
    sample.type_into(field, "frame / nobody")
    assert "nothing here is called “nobody”" in sample.window.status.message.text()
    (editor,) = [found for found in field.findChildren(QLineEdit) if found.isVisible()]
    assert editor.selectedText() == "nobody"
    assert sample.session.document.scene is before
    editor.setText("0.3")
    sample.qtbot.keyClick(editor, Qt.Key.Key_Return)
    assert sample.get(*AMOUNT) == 0.3


def test_dragging_what_follows_a_formula_is_refused_with_words(sample):
    sample.session.document.put(AMOUNT, Formula("0.2"), "Formula")
    sample.session.numbers.set_number(AMOUNT, 0.5, "Drag")
    assert sample.get(*AMOUNT) == Formula("0.2")
    assert "follows the formula 0.2" in sample.window.status.message.text()


def test_pick_a_number_links_two(sample):
    sample.window.drive.open_card("bulge")
    sample.session.numbers.begin_link(AMOUNT)
    field = sample.field(*X[:-1], 1)
    sample.click(field, (20, 10))
    assert sample.get(*AMOUNT) == Formula("Lantern.position.y")
    assert isinstance(sample.get(*X[:-1], 1), Keyed)
    sample.session.numbers.begin_link(X)
    sample.keys(Qt.Key.Key_Escape)
    assert sample.session.numbers.linking is None


def test_a_link_in_a_circle_is_refused(sample):
    sample.session.document.put(AMOUNT, Formula("Amphora.Push.amount + 1"), "by hand")
    sample.settle()
    assert "depends on itself" in sample.session.evaluator.answer.frame.problems[0].text
    sample.session.document.undo()
    other = ("shapes", "amphora", "transform", "position", 0)
    sample.session.document.put(other, Formula("Amphora.Push.amount"), "follow")
    before = sample.session.document.scene
    sample.session.numbers.begin_link(AMOUNT)
    sample.session.numbers.link_to(other)
    assert sample.session.document.scene is before
    assert "depends on itself" in sample.window.status.message.text()


def test_what_formulas_make_of_numbers_is_drawn_too(sample, curves):
    sample.session.document.put(AMOUNT, Formula("Lantern.position.y * 2"), "follow")
    course = curves.courses()[AMOUNT]
    frames = curves._frames()[::3]
    number = sample.get(*X[:-1], 1)
    assert course == pytest.approx([2 * number.at(float(frame)) for frame in frames])
    sample.settle()
    low, high = curves._axis
    assert low < min(course)
    assert max(course) < high
