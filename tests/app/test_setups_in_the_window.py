"""Set-ups of one's own in the window: kept by a name, found in the palette, put on another shape."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from estompe.app.reference_pictures import picture_of
from estompe.setups import own
from estompe.setups.catalog import own_entries


def kept(sample, name):
    sample.session.selection.choose_shape("amphora")
    sample.settle()
    sample.window.run("keep_setup")
    line = next(item for item in sample.window.status.findChildren(QLineEdit) if item.isVisible())
    QTest.keyClicks(line, name)
    QTest.keyClick(line, Qt.Key.Key_Return)
    QTest.qWait(20)


def test_a_setup_is_kept_with_a_picture_and_used_from_the_palette(sample):
    kept(sample, "Warm bulge")
    assert list(own.kept()) == ["Warm bulge"]
    assert "it stands in the palette under your own" in sample.window.status.message.text()
    (entry,) = own_entries()
    assert not picture_of(entry.name).isNull()
    sample.session.selection.choose_shape("quay")
    sample.settle()
    sample.window.add_entry(entry)
    quay = sample.get("shapes", "quay", "effects")
    assert len(quay) == 2
    assert sample.session.selection.falloff.name == "Lantern glow 2"
    sample.settle()
    assert sample.session.evaluator.answer.frame.problems == ()
    sample.session.document.undo()
    assert len(sample.get("shapes", "quay", "effects")) == 1


def test_the_palette_lists_it_and_a_name_can_be_given_up(sample):
    kept(sample, "Mine")
    sample.window.add("recipe")
    palette = sample.window.palette_shown
    palette.line.setText("mine")
    assert palette.current().label == "Mine"
    palette.close()
    sample.window.run("keep_setup")
    line = next(item for item in sample.window.status.findChildren(QLineEdit) if item.isVisible())
    QTest.keyClick(line, Qt.Key.Key_Escape)
    QTest.qWait(20)
    assert not [item for item in sample.window.status.findChildren(QLineEdit) if item.isVisible()]


def test_a_file_that_is_none_is_said(sample, tmp_path):
    from estompe.app.commands.add import use_setup

    sample.window.files.save_to(tmp_path / "scene.estompe")
    use_setup(sample.window.context, tmp_path / "scene.estompe")
    assert "is a scene, not a set-up" in sample.window.status.message.text()
    use_setup(sample.window.context, tmp_path / "gone.estompe")
    assert "there is no such file" in sample.window.status.message.text()


def test_a_setup_that_is_dropped_goes_on_the_current_shape_and_a_scene_is_opened(sample, tmp_path):
    kept(sample, "Dropped")
    sample.session.selection.choose_shape("quay")
    sample.settle()
    sample.view.file_dropped.emit(str(own.folder() / "Dropped.estompe"))
    assert len(sample.get("shapes", "quay", "effects")) == 2
    sample.window.files.save_to(tmp_path / "scene.estompe")
    sample.view.file_dropped.emit(str(tmp_path / "scene.estompe"))
    sample.qtbot.waitUntil(lambda: sample.session.document.title == "scene.estompe", timeout=10_000)
