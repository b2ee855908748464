"""Several things picked at once: in the Cast and the view, and all that acts on them."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest

from estompe.app import editing
from estompe.app.panels.cast_menu import menu_of
from estompe.app.steps import StepsList
from estompe.document import edits
from estompe.document.scene import Control, Route, Shape, Transform
from estompe.kinds.numbers import Keyed
from estompe.shapes.sphere import Sphere

LEFT, CTRL, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def crowd(sample):
    """The small sample with two controls more."""
    scene = sample.session.document.scene
    for number in range(2):
        place = Transform((1.5 + number, 0.5, 0.0))
        scene = edits.insert(scene, ("controls",), Control(f"extra-{number}", f"Extra {number}", transform=place))
    sample.session.document.commit(scene, "Add two")
    sample.session.selection.choose_control("extra-0")
    sample.settle()
    return sample


def click_row(driver, path, modifier=Qt.KeyboardModifier.NoModifier):
    row = driver.window.cast.rows[path]
    QTest.mouseClick(row, LEFT, modifier, row.rect().center())
    QTest.qWait(5)


def test_ctrl_and_shift_pick_more_rows_and_delete_takes_them_all_in_one_step(crowd):
    click_row(crowd, ("controls", "extra-0"))
    click_row(crowd, ("controls", "extra-1"), CTRL)
    selection = crowd.session.selection
    assert selection.there == (("controls", "extra-0"), ("controls", "extra-1"))
    rows = crowd.window.cast.rows
    assert rows["controls", "extra-0"].also
    assert rows["controls", "extra-1"].also
    click_row(crowd, ("controls", "extra-0"), CTRL)
    assert selection.there == (("controls", "extra-1"),)
    click_row(crowd, ("controls", "lantern"))
    click_row(crowd, ("controls", "extra-1"), SHIFT)
    assert {path[1] for path in selection.there} >= {"lantern", "extra-0", "extra-1"}
    click_row(crowd, ("controls", "extra-0"))
    click_row(crowd, ("controls", "extra-1"), CTRL)
    before = crowd.session.document.scene
    crowd.keys(Qt.Key.Key_Delete)
    assert not any(item.id.startswith("extra") for item in crowd.session.document.scene.controls)
    assert "2 controls" in crowd.window.status.message.text()
    crowd.session.document.undo()
    assert crowd.session.document.scene == before


def test_a_box_in_the_view_picks_what_is_in_it(crowd):
    crowd.view.look_through_camera(False)
    crowd.view.fit()
    places = [crowd.pixel(crowd.place_of(f"extra-{number}")) for number in range(2)]
    (x0, y0), (x1, y1) = np.min(places, axis=0) - 9, np.max(places, axis=0) + 9
    crowd.session.selection.choose_falloff("swell")
    crowd.drag(crowd.view, (x0, y0), (x1, y1), modifier=CTRL)
    assert {path[1] for path in crowd.session.selection.there if path[0] == "controls"} == {"extra-0", "extra-1"}
    assert crowd.view.box is None
    QTest.mouseClick(crowd.view, LEFT, CTRL, QPointF(*places[0]).toPoint())
    assert ("controls", "extra-0") not in crowd.session.selection.there


def test_numbers_of_several_are_typed_alike_and_dragged_by_as_much(crowd):
    crowd.session.selection.choose_several([("controls", "extra-0"), ("controls", "extra-1")])
    field = crowd.field("controls", "extra-1", "transform", "position", 0)
    assert field._text() == "mixed"
    QTest.keyClick(field, Qt.Key.Key_Up)
    xs = [crowd.place_of(f"extra-{number}")[0] for number in range(2)]
    assert xs[1] - xs[0] == pytest.approx(1.0)
    assert xs[0] > 1.5
    crowd.type_into(field, "0.25")
    assert [crowd.place_of(f"extra-{number}")[0] for number in range(2)] == [0.25, 0.25]
    assert field._text() != "mixed"
    crowd.session.document.undo()
    assert crowd.place_of("extra-0")[0] == pytest.approx(xs[0])
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_K)
    keyed = [crowd.get("controls", f"extra-{number}", "transform", "position", 0) for number in range(2)]
    assert all(isinstance(number, Keyed) for number in keyed)


def test_handles_move_all_that_is_picked(crowd):
    crowd.view.look_through_camera(False)
    crowd.view.fit()
    crowd.session.selection.choose_several([("controls", "extra-1"), ("controls", "extra-0")])
    before = [crowd.place_of(f"extra-{number}") for number in range(2)]
    begin = crowd.pixel(before[0])
    crowd.drag(crowd.view, begin, (begin[0] + 60, begin[1] - 20))
    moved = [crowd.place_of(f"extra-{number}") - before[number] for number in range(2)]
    assert np.linalg.norm(moved[0]) > 0.05
    assert np.allclose(moved[0], moved[1], atol=2e-4)


def test_copying_to_the_clipboard_and_pasting_in_another_project(crowd, small_sample):
    click_row(crowd, ("shapes", "amphora"))
    crowd.keys(Qt.Key.Key_C, CTRL)
    text = QGuiApplication.clipboard().text()
    assert text.startswith('{"format":"estompe parts"')
    crowd.session.begin(small_sample.with_scene(edits.remove(small_sample.scene, ("shapes", "amphora"))), None, "other")
    crowd.window.run("paste")
    crowd.settle()
    names = [shape.name for shape in crowd.session.document.scene.shapes]
    assert "Amphora" in names
    assert crowd.session.selection.last == ("shapes", crowd.session.document.scene.shapes[-1].id)
    crowd.session.document.undo()
    assert "Amphora" not in [shape.name for shape in crowd.session.document.scene.shapes]


def test_pasting_without_parts_on_the_clipboard_is_refused_in_words(crowd):
    QGuiApplication.clipboard().setText("a poem")
    before = crowd.session.document.scene
    crowd.window.run("paste")
    assert "copy something first" in crowd.window.status.message.text()
    QGuiApplication.clipboard().setText('{"format":"estompe parts","broken')
    crowd.window.run("paste")
    assert "cannot be pasted" in crowd.window.status.message.text()
    assert crowd.session.document.scene is before


def test_an_opened_effect_is_what_was_picked_last(crowd):
    crowd.session.selection.choose_shape("amphora")
    crowd.window.drive.open_card("bulge")
    assert crowd.session.selection.last == ("shapes", "amphora", "effects", "bulge")
    crowd.keys(Qt.Key.Key_D, CTRL)
    assert [type(slot.effect).__name__ for slot in crowd.get("shapes", "amphora", "effects")].count(
        type(crowd.get("shapes", "amphora", "effects", "bulge").effect).__name__
    ) >= 2
    crowd.session.document.undo()
    crowd.session.selection.mark_last(("shapes", "amphora", "effects", "bulge"))
    crowd.keys(Qt.Key.Key_Delete)
    assert not edits.exists(crowd.session.document.scene, ("shapes", "amphora", "effects", "bulge"))


def test_duplicating_with_what_a_shape_uses(crowd):
    click_row(crowd, ("shapes", "amphora"))
    falloffs = len(crowd.session.document.scene.falloffs)
    crowd.window.run("duplicate_whole")
    scene = crowd.session.document.scene
    assert len(scene.falloffs) > falloffs
    copy = scene.shapes[-1]
    new = {item.id for item in scene.falloffs[falloffs:]}
    assert {route.falloff for slot in copy.effects for route in slot.routes} <= new


def test_find_lists_only_what_has_the_words_in_its_name(crowd):
    crowd.keys(Qt.Key.Key_F, CTRL)
    cast = crowd.window.cast
    assert cast.search.isVisible()
    QTest.keyClicks(cast.search, "extra")
    assert {path[1] for path in cast.rows if path[0] == "controls"} == {"extra-0", "extra-1"}
    assert not any(path[0] == "shapes" for path in cast.rows)
    QTest.keyClick(cast.search, Qt.Key.Key_Escape)
    assert ("shapes", "amphora") in cast.rows
    assert not cast.search.isVisible()


def test_folders_group_rows_close_and_are_renamed(crowd):
    cast = crowd.window.cast
    crowd.session.selection.choose_several([("controls", "extra-0"), ("controls", "extra-1")])
    cast.ask_folder([("controls", "extra-0"), ("controls", "extra-1")])
    (folder,) = cast.folders.values()
    assert folder.name == "Folder"
    crowd.click(folder)
    assert ("controls", "extra-0") not in cast.rows
    crowd.click(folder)
    folder.renamed.emit("Lights")
    assert {crowd.get("controls", f"extra-{n}").listing.folder for n in range(2)} == {"Lights"}
    assert ("folder", "controls", "Lights") in cast.folders


def test_what_is_locked_is_not_picked_or_moved_in_the_view(crowd):
    crowd.view.look_through_camera(False)
    crowd.view.fit()
    editing.set_listing(crowd.session, [("controls", "extra-0")], "Lock", locked=True)
    crowd.session.selection.choose_control("extra-0")
    assert crowd.view.handles() is None
    crowd.session.selection.choose_control("lantern")
    crowd.click(crowd.view, crowd.pixel(crowd.place_of("extra-0")))
    crowd.settle()
    assert crowd.session.selection.picked != ("controls", "extra-0")


def test_only_what_is_picked_is_shown_until_all_is_again(crowd):
    click_row(crowd, ("shapes", "amphora"))
    crowd.keys(Qt.Key.Key_I)
    assert [item.id for item in crowd.view._items] == ["amphora"]
    crowd.keys(Qt.Key.Key_I)
    assert {item.id for item in crowd.view._items} >= {"amphora", "quay"}


def test_the_menu_says_what_uses_a_control_and_lets_all_use_another(crowd):
    menu = menu_of(crowd.window.cast, crowd.window, ("controls", "lantern"))
    below = {action.text(): action.menu() for action in menu.actions() if action.menu() is not None}
    users = [action.text() for action in below["Used by"].actions()]
    assert users
    assert users != ["nothing"]
    below["Used by"].actions()[0].trigger()
    assert len(crowd.session.selection.last) in (2, 4)
    other = next(action for action in below["Use instead everywhere"].actions() if action.text() == "Extra 0")
    other.trigger()
    menu = menu_of(crowd.window.cast, crowd.window, ("controls", "lantern"))
    below = {action.text(): action.menu() for action in menu.actions() if action.menu() is not None}
    assert [action.text() for action in below["Used by"].actions()] == ["nothing"]


def test_a_parent_is_given_in_the_menu_and_what_rides_comes_along(crowd):
    menu = menu_of(crowd.window.cast, crowd.window, ("controls", "extra-1"))
    parents = next(action.menu() for action in menu.actions() if action.text() == "Parent")
    next(action for action in parents.actions() if action.text() == "Extra 0").trigger()
    assert crowd.get("controls", "extra-1", "transform").parent == "extra-0"
    placed = {item.id: item for item in crowd.session.numbers.placed.controls}
    assert np.allclose(edits.get(placed["extra-1"], ("transform", "follows")).rows[3::4], (1.5, 0.5, 0.0))
    crowd.session.numbers.set_number(("controls", "extra-0", "transform", "position", 1), 2.0, "Raise")
    crowd.settle()
    answered = next(item for item in crowd.session.evaluator.answer.frame.scene.controls if item.id == "extra-1")
    assert answered.transform.follows.rows[7] == pytest.approx(2.0)
    assert crowd.window.cast.rows["controls", "extra-1"].layout().contentsMargins().left() > 16


def drop(driver, row, target, modifier=Qt.KeyboardModifier.NoModifier):
    driver.scroll_to(target)
    driver.scroll_to(row)
    begin = row.rect().center()
    end = row.mapFromGlobal(target.mapToGlobal(target.rect().center()))
    driver.drag(row, (begin.x(), begin.y()), (end.x(), end.y()), modifier=modifier)


def test_a_falloff_dropped_on_a_card_drives_it_and_a_card_dropped_on_a_falloff_too(crowd):
    crowd.session.selection.choose_shape("amphora")
    routes = ("shapes", "amphora", "effects", "bulge", "routes")
    crowd.session.document.put(routes, (), "Feed by nothing")
    drop(crowd, crowd.window.cast.rows["falloffs", "swell"], crowd.window.drive.cards["bulge"])
    assert crowd.get(*routes) == (Route("swell"),)
    crowd.session.document.put(routes, (), "Feed by nothing")
    drop(crowd, crowd.window.drive.cards["bulge"], crowd.window.cast.rows["falloffs", "swell"])
    assert crowd.get(*routes) == (Route("swell"),)


def test_an_effect_is_moved_to_another_shape_or_copied_with_ctrl(crowd):
    crowd.session.document.commit(
        edits.insert(crowd.session.document.scene, ("shapes",), Shape("ball", "Ball", Sphere())), "Add"
    )
    crowd.session.selection.choose_shape("amphora")
    count = len(crowd.get("shapes", "amphora", "effects"))
    drop(crowd, crowd.window.drive.cards["bulge"], crowd.window.cast.rows["shapes", "ball"], CTRL)
    assert len(crowd.get("shapes", "amphora", "effects")) == count
    assert len(crowd.get("shapes", "ball", "effects")) == 1
    crowd.session.selection.choose_shape("amphora")
    drop(crowd, crowd.window.drive.cards["bulge"], crowd.window.cast.rows["shapes", "ball"])
    assert len(crowd.get("shapes", "amphora", "effects")) == count - 1
    assert len(crowd.get("shapes", "ball", "effects")) == 2


def test_the_list_of_steps_goes_to_any_of_them(crowd):
    document = crowd.session.document
    begin = document.scene
    for number in range(3):
        crowd.session.numbers.set_number(
            ("controls", "lantern", "transform", "position", 0), float(number + 5), f"Step {number}"
        )
    crowd.window.show_steps()
    (steps,) = crowd.window.findChildren(StepsList)
    assert steps.list.item(steps.list.count() - 1).text() == "Step 2"
    steps.list.itemClicked.emit(steps.list.item(document.steps_done - 3))
    assert document.scene == begin
    steps.list.itemClicked.emit(steps.list.item(steps.list.count() - 1))
    assert crowd.place_of("lantern")[0] == 7.0
    steps.close()
