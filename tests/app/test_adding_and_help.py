"""The palette, cards that fold, the reference, preferences, commands that say why not, and the overlap check."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from estompe.app import preferences, units
from estompe.app.fields.pattern import PatternPicture
from estompe.app.palette import Palette
from estompe.app.sheets.preferences_sheet import PreferencesSheet
from estompe.app.sheets.reference_sheet import ReferenceSheet, limits
from estompe.app.widgets.fields import rule_of
from estompe.document import edits
from estompe.document.scene import Control
from estompe.falloffs.noise import Noise
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.registry import kinds
from estompe.setups.catalog import entries, entry
from tests.app.driving import Driver

GLOW = ("falloffs", "lantern-glow")


def _palette(sample: Driver, family: str) -> Palette:
    sample.window.add(family)
    return sample.window.palette_shown


def test_the_palette_filters_by_name_and_by_what_it_does(sample):
    palette = _palette(sample, "effect")
    assert palette.list.count() > len(kinds(Effect))
    QTest.keyClicks(palette.line, "volume")
    labels = [palette.list.item(row).text() for row in range(palette.list.count())]
    assert {"Press", "Smooth"} <= set(labels)
    palette.line.clear()
    QTest.keyClicks(palette.line, "tw")
    assert palette.current().label == "Twist"
    QTest.keyClick(palette.line, Qt.Key.Key_Return)
    assert sample.session.selection.shape.effects[-1].effect.label == "Twist"
    assert preferences.load().added == ["effect:twist"]
    again = _palette(sample, "effect")
    assert again.list.item(0).text() == "Added last"
    assert again.current().label == "Twist"
    QTest.keyClick(again.line, Qt.Key.Key_Escape)


def test_arrows_step_over_headings_and_nothing_fits_is_said(sample):
    palette = _palette(sample, "source")
    first = palette.current()
    QTest.keyClick(palette.line, Qt.Key.Key_Down)
    assert palette.current() is not None
    assert palette.current() != first
    QTest.keyClick(palette.line, Qt.Key.Key_Up)
    assert palette.current() == first
    QTest.keyClicks(palette.line, "geodesicalness")
    assert palette.current() is None
    assert palette.list.item(0).text() == "No match for “geodesicalness”: did you mean “geodesic”?"
    QTest.keyClick(palette.line, Qt.Key.Key_Escape)


def test_every_kind_stands_in_the_catalog_once():
    names = [item.name for item in entries()]
    assert len(names) == len(set(names))
    assert {f"effect:{tag}" for tag in kinds(Effect)} <= set(names)
    assert {f"source:{tag}" for tag in kinds(Source)} <= set(names)
    assert "shape:mesh" not in names
    with pytest.raises(LookupError, match="nothing called"):
        entry("effect:nothing")


def test_the_pattern_of_a_keyed_speed_is_that_of_its_phase(sample):
    session, path = sample.session, (*GLOW, "layers", "grain", "source")
    session.document.put((*path, "loop"), 0, "Loop")
    session.document.put((*path, "speed"), Keyed((Key(1, 0.0, "linear"), Key(25, 2.0, "linear"))), "Speed")
    sample.click(sample.window.measure.rows["grain"])
    session.playhead.go(25)
    sample.settle()
    picture = sample.window.measure.findChild(PatternPicture)
    picture.pull()
    seconds = 24 / session.document.scene.frames_per_second
    assert picture._shown[1] == pytest.approx(0.5 * 2.0 * seconds)  # the area below a line from 0 to 2


def test_settings_without_effect_are_not_shown_and_rare_ones_are_folded(sample):
    sample.click(sample.window.measure.rows["grain"])
    measure, path = sample.window.measure, (*GLOW, "layers", "grain", "source")
    assert not [f for f in measure.findChildren(QPushButton) if f.text() == "Cells"]
    assert measure.findChildren(PatternPicture)
    with pytest.raises(AssertionError):
        sample.field(*path, "irregularity")
    with pytest.raises(AssertionError):
        sample.field(*path, "steepness")
    sample.session.document.put((*path, "pattern"), "cellular", "Cells")
    assert sample.field(*path, "irregularity") is not None
    sample.settle()
    fold = next(button for button in measure.findChildren(QPushButton) if "more settings" in button.text())
    sample.click(fold)
    assert sample.field(*path, "steepness") is not None
    noise: Noise = edits.get(sample.session.document.scene, path)
    assert rule_of(Noise, "cells").applies(noise)


def test_the_reference_is_searched_and_f1_opens_what_one_is_at(sample):
    sample.window.explain("effect:press")
    sheet = sample.window.sheets.currentWidget()
    assert isinstance(sheet, ReferenceSheet)
    assert sheet.shown().label == "Press"
    QTest.keyClicks(sheet.line, "joint")
    assert sheet.shown() is not None
    assert "joint" in f"{sheet.shown().label} {sheet.shown().text}".lower()
    sample.keys(Qt.Key.Key_Escape)
    sample.window.drive.open_card("bulge")
    sample.field("shapes", "amphora", "effects", "bulge", "effect", "amount").setFocus()
    sample.window.explain()
    assert sample.window.sheets.currentWidget().shown().name == "effect:push"
    assert limits(rule_of(Noise, "octaves")) == "1 to 10"
    assert "sphere" in limits(rule_of(Control, "form"))


def test_preferences_are_taken_over_at_once_and_kept(sample):
    sample.window.run("preferences")
    sheet = sample.window.sheets.currentWidget()
    assert isinstance(sheet, PreferencesSheet)
    sheet.boxes["undo_depth"].setValue(3)
    sheet.boxes["results_mb"].setValue(64)
    sheet.boxes["autosave"].setValue(7)
    box = sheet.boxes["text_size"]
    box.setCurrentIndex(box.findData("large"))
    box.activated.emit(box.currentIndex())
    kept = preferences.load()
    assert (kept.undo_depth, kept.results_mb, kept.autosave, kept.text_size) == (3, 64, 7, "large")
    assert sample.session.evaluator.worker.memo.budget == 64 << 20
    assert sample.window.autosave._timer.interval() == 7000
    assert QApplication.instance().property("text-scale") > 1
    for last in range(100, 110):
        sample.session.document.put(("last",), last, "Last")
    undone = 0
    while sample.session.document.undo_label:
        sample.session.document.undo()
        undone += 1
    assert undone == 3
    sheet.boxes["text_size"].setCurrentIndex(box.findData("normal"))
    sheet.boxes["text_size"].activated.emit(0)
    sample.settle()


def test_orbiting_with_the_middle_button_only(sample):
    sample.window.preferences.navigation = "middle"
    sample.window.apply_preferences()
    before = sample.view.viewpoint
    sample.drag(sample.view, (30, 120), (90, 160))
    assert sample.view.viewpoint == before
    sample.drag(sample.view, (30, 120), (90, 160), Qt.MouseButton.MiddleButton)
    assert sample.view.viewpoint != before


def test_lengths_are_shown_and_typed_in_the_scenes_unit(sample):
    sample.session.document.put(("metres_per_unit",), 0.01, "Centimetres")
    assert units.shown(2.5, "length") == "2.50 cm"
    assert units.parsed("1 m", "length") == 100.0
    assert units.parsed("5 mm", "length") == 0.5
    assert units.parsed("5", "length") == 5.0
    sample.session.document.undo()
    assert units.shown(2.5, "length") == "2.50 m"


def test_what_cannot_be_done_is_greyed_and_says_why(driver):
    driver.window.files.new_scene()
    menu = driver.menu("Add")
    push = driver.window.actions_by_name["push_near"]
    assert not push.isEnabled()
    assert push.toolTip() == "Choose a shape first"
    menu.aboutToHide.emit()
    assert push.isEnabled()  # so that its shortcut can say why
    driver.window.run("push_near")
    assert driver.window.status.message.text() == "Push near a control: choose a shape first"
    driver.menu("Check")
    assert driver.window.actions_by_name["wipe"].toolTip() == "Keep a picture first: Shift+R"


def test_splitters_are_remembered(sample):
    splitter = sample.window.splitters["across"]
    splitter.setSizes([800, 480])
    splitter.splitterMoved.emit(800, 1)
    sample.window.preferences.save()
    assert preferences.load().splitters["across"] == splitter.sizes()


def test_the_window_fits_the_screen_with_its_title_bar(driver):
    free = driver.window.screen().availableGeometry()
    assert driver.window.minimumSizeHint().height() <= 700
    assert driver.window.height() <= max(800, free.height())


def test_overlaps_are_marked_counted_and_found_on_every_frame(sample):
    sample.window.run("overlaps")
    sample.window.add_entry(entry("shape:sphere"))
    sphere = sample.session.selection.shape_id
    sample.session.document.put(("shapes", sphere, "transform", "position"), (0.0, 0.6, 0.0), "Inside")
    sample.settle()
    model = sample.session.overlaps
    sample.qtbot.waitUntil(lambda: bool(model.found), timeout=10_000)
    assert sphere in {model.found[0].inside, model.found[0].other}
    assert model.by_frame[1] == pytest.approx(model.found[0].deepest)
    sample.session.document.put(("last",), 6, "Short")
    sample.settle()
    with sample.qtbot.waitSignal(sample.window.work.ended, timeout=60_000):
        sample.window.run("overlaps_everywhere")
    sample.qtbot.waitUntil(lambda: len(model.by_frame) == 6, timeout=5_000)
    assert "overlap on 6 of 6 frames, first on 1" in sample.window.status.message.text()
    sample.window.run("overlaps")
    assert not model.on
    assert model.found == []
