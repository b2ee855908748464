"""Variants in the window: keeping, comparing, taking across, sheets of numbers, playing, and the wipe."""

import pytest
from PyQt6.QtTest import QTest

from estompe.app.sheets.variants_sheet import VariantsSheet
from estompe.document.file import load

AMOUNT = ("shapes", "amphora", "effects", "bulge", "effect", "amount")
GONE = ("falloffs", "lantern-glow", "range", "gone")


def done(sample):
    sample.qtbot.waitUntil(lambda: not sample.window.work.running, timeout=60_000)


@pytest.fixture
def sheet(sample):
    """The sheet over two variants: Calm, and Rough with another amount and range."""
    variants, document = sample.session.variants, sample.session.document
    variants.keep("Calm")
    document.put(AMOUNT, 0.3, "Set")
    document.put(GONE, 1.4, "Set")
    variants.keep("Rough")
    document.put(AMOUNT, 0.05, "Set")
    sample.settle()
    sample.window.run("variants")
    made = sample.window.sheets.currentWidget()
    assert isinstance(made, VariantsSheet)
    done(sample)
    return made


def test_every_variant_has_a_picture_and_what_differs_is_said(sample, sheet):
    assert [cell.label for row in sheet._cells for cell in row] == ["as it stands", "Calm", "Rough"]
    sample.qtbot.waitUntil(lambda: all(sheet.grid.count(0, column) == 1 for column in range(3)), timeout=5000)
    sample.click(sheet.grid, _middle(sheet, 0, 2))
    assert sheet.current == "Rough"
    assert [item.words for item in sample.session.variants.differences("Rough")] == ["Amphora Push amount 0.05 → 0.3"]
    assert sample.button(sheet, "take across").isVisible()


def _middle(sheet, row, column):
    centre = sheet.grid.area(row, column).center()
    return centre.x(), centre.y()


def test_one_setting_is_taken_across_as_one_step(sample, sheet):
    sheet.show_about("Calm")
    differing = sample.session.variants.differences("Calm")
    assert [item.words for item in differing] == [
        "Amphora Push amount 0.05 → 0.13",
        "Lantern glow gone beyond 1.4 → 0.85",
    ]
    sample.session.variants.take_across("Calm", differing[1])
    assert sample.get(*GONE) == 0.85
    assert sample.get(*AMOUNT) == 0.05
    sample.session.document.undo()
    assert sample.get(*GONE) == 1.4


def test_going_to_a_variant_is_a_step_and_names_can_be_changed(sample, sheet):
    sheet.show_about("Calm")
    QTest.qWait(20)
    sample.click(sample.button(sheet, "go to it"))
    assert sample.get(*AMOUNT) == 0.13
    sample.session.document.undo()
    assert sample.get(*AMOUNT) == 0.05
    variants = sample.session.variants
    variants.rename("Calm", "Rough")
    assert variants.named("Calm") is not None, "a name that is taken is refused"
    variants.rename("Calm", "Flat")
    assert [variant.name for variant in variants.all] == ["Flat", "Rough"]
    done(sample)


def test_what_is_done_to_variants_can_be_undone(sample, sheet):
    sheet.show_about("Calm")
    QTest.qWait(20)
    sample.click(sample.button(sheet, "remove"))
    done(sample)
    assert [variant.name for variant in sample.session.variants.all] == ["Rough"]
    sample.window.run("undo")
    done(sample)
    variants = sample.session.variants
    assert [variant.name for variant in variants.all] == ["Calm", "Rough"]
    before = variants.named("Calm")
    variants.keep("Calm")
    assert variants.named("Calm").scene is sample.session.document.scene
    variants.rename("Calm", "Still")
    for _ in range(2):
        sample.window.run("undo")
    assert variants.named("Calm") is before
    assert variants.named("Still") is None
    sample.window.run("redo")
    assert variants.named("Calm") is not before
    assert sample.get(*AMOUNT) != 0.13
    done(sample)


@pytest.mark.usefixtures("sheet")
def test_variants_are_saved_with_the_scene_and_count_as_unsaved_work(sample, tmp_path):
    path = tmp_path / "a.estompe"
    assert sample.window.files.save_to(path)
    assert not sample.session.document.unsaved
    sample.session.variants.keep("Third")
    assert sample.session.document.unsaved
    assert sample.window.files.save_to(path)
    assert [variant.name for variant in load(path).variants] == ["Calm", "Rough", "Third"]
    assert not sample.session.document.unsaved
    done(sample)


def test_numbers_at_several_values_are_drawn_and_one_is_taken(sample, sheet):
    sheet.show_way("numbers")
    sample.session.selection.choose_shape("amphora")
    (box, values), (second, more) = sheet.numbers
    box.setCurrentIndex(box.findData("Amphora.Push.amount"))
    values.setText("0.1,0.2")
    second.setCurrentIndex(second.findData("'Lantern glow'.gone"))
    more.setText("0.8..1.2/3")
    sample.click(sample.button(sheet, "Draw"))
    done(sample)
    assert [len(row) for row in sheet._cells] == [2, 2, 2]
    sheet.grid.chosen.emit(2, 1)
    assert (sample.get(*AMOUNT), sample.get(*GONE)) == (0.2, pytest.approx(1.2))
    assert sample.session.document.undo_label.startswith("Take Push.amount 0.2")
    values.setText("much")
    sample.click(sample.button(sheet, "Draw"))
    assert "write values as" in sheet.trouble.text()


def test_the_shot_plays_in_every_picture(sample, sheet):
    scene = sample.session.document.scene
    sample.session.document.put(("last",), scene.first + 3, "Shorten")
    sheet.show_way("variants")
    done(sample)
    sample.click(sheet.playing)
    done(sample)
    sample.qtbot.waitUntil(lambda: sheet.grid.playing, timeout=5000)
    assert sheet.grid.count(0, 1) == 4
    sample.click(sheet.playing)
    assert not sheet.grid.playing


def test_a_variant_is_wiped_against_the_scene(sample, sheet):
    sheet.show_about("Rough")
    QTest.qWait(20)
    sample.click(sample.button(sheet, "wipe against it"))
    done(sample)
    assert sample.window.sheets.currentWidget() is sample.view
    assert sample.view.has_reference
    assert sample.view.wipe_at == pytest.approx(sample.view.width() / 2)
