"""Routing and the Table, driven as a person would."""

import numpy as np
import pytest
from msgspec import structs
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from estompe.app import units
from estompe.app.sheets.routing_sheet import RoutingSheet
from estompe.app.sheets.table_sheet import Columns, TableSheet
from estompe.app.widgets.number import NumberField
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Route, Scene, Shape
from estompe.effects.group import Group
from estompe.effects.push import Push
from estompe.shapes.sphere import Sphere


def _sheet(sample, key, kind):
    sample.keys(key)
    sheet = sample.window.sheets.currentWidget()
    assert isinstance(sheet, kind)
    return sheet


def test_routing_shows_every_effect_and_falloff_and_feeds_by_a_click(sample):
    sheet = _sheet(sample, Qt.Key.Key_R, RoutingSheet)
    effects = (("amphora", "bulge"), ("quay", "lift"))
    assert set(sheet.cells) == {(*effect, falloff) for effect in effects for falloff in ("lantern-glow", "swell")}
    sample.click(sheet.cells["quay", "lift", "lantern-glow"])
    assert [route.falloff for route in sample.get("shapes", "quay", "effects", "lift", "routes")] == [
        "lantern-glow",
        "swell",
    ]
    assert sample.window.sheets.currentWidget() is sheet  # editing does not close it
    field = sheet.cells["quay", "lift", "swell"].findChild(NumberField)
    sample.type_into(field, "40")
    assert sample.get("shapes", "quay", "effects", "lift", "routes", 1, "amount") == 0.4
    sample.session.document.undo()
    sample.session.document.undo()
    assert [route.falloff for route in sample.get("shapes", "quay", "effects", "lift", "routes")] == ["swell"]


def test_only_the_row_that_changes_is_built_anew(sample):
    sheet = _sheet(sample, Qt.Key.Key_R, RoutingSheet)
    other, own = sheet.cells["amphora", "bulge", "lantern-glow"], sheet.cells["quay", "lift", "swell"]
    sample.click(sheet.cells["quay", "lift", "lantern-glow"])
    assert sheet.cells["amphora", "bulge", "lantern-glow"] is other
    assert sheet.cells["quay", "lift", "swell"] is not own
    shown = {field.path: field for field in sheet.findChildren(NumberField) if field.isVisible()}
    assert set(shown.values()) == set(sheet.fields), "those of the old row are forgotten"
    sample.click(sample.button(sheet, "Switch Move off"))
    assert sample.button(sheet, "Switch Move on").isVisible()
    assert not sample.get("shapes", "quay", "effects", "lift", "enabled")


def test_copied_effects_in_two_shapes_have_rows_of_their_own(sample):
    sheet = _sheet(sample, Qt.Key.Key_R, RoutingSheet)
    copied = sample.get("shapes", "amphora", "effects", "bulge")
    effects = (structs.replace(copied, id="copied"), *sample.get("shapes", "quay", "effects"))
    sample.session.document.put(("shapes", "quay", "effects"), effects, "Copy")
    sample.click(sheet.cells["quay", "copied", "swell"])
    assert len(sample.get("shapes", "quay", "effects", "copied", "routes")) == 2
    assert len(sample.get("shapes", "amphora", "effects", "bulge", "routes")) == 1
    assert sheet.cells["amphora", "bulge", "swell"].isVisible()
    assert sheet.cells["quay", "copied", "swell"].findChild(NumberField) is not None


def test_a_cell_joins_differently_inverts_and_is_removed(sample):
    sheet = _sheet(sample, Qt.Key.Key_R, RoutingSheet)
    sheet.feed(("shapes", "amphora", "effects", "bulge"), "swell")
    routes = ("shapes", "amphora", "effects", "bulge", "routes")
    for text, check in (("add", ("join", "add")), ("one minus", ("one_minus", True))):
        menu = sheet._menu((*routes, 1), sample.get(*routes, 1), 1)
        next(action for action in menu.actions() if action.text() == text).trigger()
        assert sample.get(*routes, 1, check[0]) == check[1]
    menu = sheet._menu((*routes, 1), sample.get(*routes, 1), 1)
    menu.actions()[-1].trigger()
    assert len(sample.get(*routes)) == 1


def test_the_key_opens_and_closes_a_sheet(sample):
    sheet = _sheet(sample, Qt.Key.Key_R, RoutingSheet)
    sample.window.run("routing")
    assert sample.window.sheets.currentWidget() is sample.view
    sheet = _sheet(sample, Qt.Key.Key_D, TableSheet)
    sample.click(sample.button(sheet, "Close the Table (Esc)"))
    assert sample.window.sheets.currentWidget() is sample.view


def test_the_table_shows_sorts_and_filters_the_numbers_of_points(sample):
    sample.session.playhead.go(60)
    sample.settle()
    sheet = _sheet(sample, Qt.Key.Key_D, TableSheet)
    mesh = sample.session.evaluator.answer.frame["Amphora"]
    strength = sample.session.evaluator.answer.current.strength
    assert list(sheet.model.columns)[:5] == ["id", "strength", "x", "y", "z"]
    assert sheet.model.rowCount() == len(mesh.points)
    sheet.view.sortByColumn(1, Qt.SortOrder.DescendingOrder)
    assert np.array_equal(strength[sheet.model.rows], np.sort(strength)[::-1])
    QTest.keyClicks(sheet.condition, "strength > 0.5 and y < 0.7")
    kept = (strength > 0.5) & (mesh.points[:, 1] < 0.7)
    assert set(sheet.model.rows) == set(np.flatnonzero(kept))
    assert sheet.count.text() == f"{units.counted(int(kept.sum()))} of {units.counted(len(kept))}"


@pytest.mark.parametrize(
    ("text", "words"), [("salt > 1", "there is no column “salt”"), ("strength >", "something is missing")]
)
def test_a_condition_that_cannot_be_read_says_so_and_keeps_all_rows(sample, text, words):
    sheet = _sheet(sample, Qt.Key.Key_D, TableSheet)
    sheet.condition.setText(text)
    assert words in sheet.error.text()
    assert sheet.error.isVisible()
    assert sheet.model.rowCount() == len(sample.session.evaluator.answer.frame["Amphora"].points)


def test_faces_have_areas(sample):
    sheet = _sheet(sample, Qt.Key.Key_D, TableSheet)
    sheet.elements.setCurrentText("faces")
    sheet.pull()
    mesh = sample.session.evaluator.answer.frame["Amphora"]
    assert sheet.model.rowCount() == mesh.topology.faces
    corners = mesh.points[mesh.topology.triangles].astype(np.float64)
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    assert sheet.model.columns["area"].sum() == pytest.approx(areas.sum(), rel=0.02)


def test_picked_points_become_a_group_that_attributes_can_use(sample):
    sheet = _sheet(sample, Qt.Key.Key_D, TableSheet)
    sheet.condition.setText("y > 0.6")
    count = sheet.model.rowCount()
    sample.click(sample.button(sheet, "Pick these into a group"))
    effect = sample.session.selection.shape.effects[-1]
    assert isinstance(effect.effect, Group)
    sample.settle()
    members = sample.session.evaluator.answer.frame["Amphora"].on_points("group 1")
    assert members.sum() == count
    assert not sample.session.evaluator.answer.frame.problems
    sample.session.document.put(("shapes", "amphora", "source", "around"), 9, "Other mesh")
    sample.settle()
    assert "pick it again" in sample.session.evaluator.answer.frame.problems[0].text


def test_columns_are_worked_out_when_they_are_looked_at():
    asked = []
    columns = Columns(3, {name: lambda name=name: asked.append(name) or np.zeros(3) for name in "ab"})
    assert list(columns) == ["a", "b"]
    assert not asked
    assert columns["b"] is columns["b"]
    assert asked == ["b"]


def test_a_sheet_that_is_closed_is_gone(sample):
    sample.window.run("table")
    sheet = sample.window.sheets.currentWidget()
    gone = []
    sheet.destroyed.connect(lambda: gone.append(True))
    sample.window.run("table")
    assert sample.window.sheets.currentWidget() is sample.view
    sample.qtbot.waitUntil(lambda: bool(gone), timeout=5000)


def test_a_large_routing_is_built_piece_by_piece(driver):
    effects = tuple(EffectSlot(f"e{k}", Push(0.01), (Route(f"f{k}"),)) for k in range(30))
    falloffs = tuple(Falloff(f"f{k}", f"F{k}") for k in range(30))
    scene = Scene((Shape("s", "S", Sphere(0.1, 2), effects=effects),), (), falloffs)
    driver.session.begin(Project(scene), None, "large")
    driver.window.run("routing")
    sheet = driver.window.findChild(RoutingSheet)
    assert len(sheet.cells) < 30 * 30
    driver.qtbot.waitUntil(lambda: len(sheet.cells) == 30 * 30, timeout=20_000)
    changed = edits.remove(driver.session.document.scene, ("shapes", "s", "effects", "e29"))
    driver.session.document.commit(changed, "Remove")
    driver.qtbot.waitUntil(lambda: len(sheet.cells) == 29 * 30, timeout=20_000)
    assert ("s", "e28", "f28") in sheet.cells
