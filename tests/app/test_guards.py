"""What nobody foresaw: every thread lives on, says so in a line, and writes the log; work can always be saved and recovered."""

import fcntl
import os
import shutil
from pathlib import Path

import pytest
from msgspec import structs
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox

from estompe import faults
from estompe.app import preferences
from estompe.app.model import recovery
from estompe.app.model.recovery import Lost
from estompe.document import file
from estompe.evaluation.background import worker
from estompe.render.renderer import Renderer

HOSTILE = Path(__file__).parents[1] / "data" / "hostile"


class _UnforeseenError(Exception):
    pass


def _fail(*_):
    raise _UnforeseenError("nobody thought of this")


def _log() -> str:
    return faults.log_file().read_text(encoding="utf-8")


def test_evaluation_goes_on_after_what_nobody_foresaw(sample, monkeypatch):
    really = worker.compute_answer
    monkeypatch.setattr(worker, "compute_answer", _fail)
    sample.session.document.put(("last",), 100, "Shorter")
    sample.qtbot.waitUntil(lambda: "nobody thought of this" in sample.window.status.message.text(), timeout=5_000)
    assert "the log has the details" in sample.window.status.message.text()
    assert "_UnforeseenError" in _log()
    monkeypatch.setattr(worker, "compute_answer", really)
    sample.session.document.put(("last",), 101, "Longer")
    sample.settle()
    assert sample.session.evaluator.answer.request.project.scene.last == 101


def test_drawing_goes_on_after_what_nobody_foresaw(sample, monkeypatch):
    really = Renderer.draw
    monkeypatch.setattr(Renderer, "draw", _fail)
    sample.view.redraw()
    sample.qtbot.waitUntil(lambda: "Drawing the view failed" in sample.window.status.message.text(), timeout=5_000)
    monkeypatch.setattr(Renderer, "draw", really)
    sample.view.redraw()
    sample.settle()
    assert sample.view.is_still


def test_long_work_goes_on_after_what_nobody_foresaw(sample):
    with sample.qtbot.waitSignal(sample.window.work.failed, timeout=5_000):
        sample.window.work.start("trying", _fail, lambda _: None)
    assert not sample.window.work.running
    assert "Trying failed" in sample.window.status.message.text()
    assert sample.window.work.start("again", lambda _progress: 5, lambda _: None)
    sample.qtbot.waitUntil(lambda: not sample.window.work.running, timeout=5_000)


def test_the_log_is_shown_or_said_to_be_empty(sample, monkeypatch):
    opened = []
    monkeypatch.setattr(
        "estompe.app.commands.help.QDesktopServices.openUrl", lambda url: opened.append(url.toLocalFile())
    )
    sample.window.run("show_log")
    assert "nothing went wrong" in sample.window.status.message.text()
    faults.record(ValueError("x"), "Trying")
    sample.window.run("show_log")
    assert opened == [str(faults.log_file())]


# Work that must not be lost


def _kept(window) -> list[Path]:
    window.autosave.write()
    window.autosave.wait()
    return sorted(recovery.folder().glob("*.estompe"))


def _left_behind(project, title="Storm night") -> Lost:
    """An autosave of a window that is gone."""
    recovery.folder().mkdir(parents=True, exist_ok=True)
    scene = recovery.folder() / "0123456789abcdef.estompe"
    file.save(project, scene)
    note = b'{"title": "%s", "original": "", "when": 1e300}' % title.encode()
    scene.with_suffix(".json").write_bytes(note)
    return next(item for item in recovery.lost() if item.path == scene)


def test_a_recovered_scene_is_kept_until_it_is_kept_again(driver, small_sample, monkeypatch):
    item = _left_behind(small_sample)
    with monkeypatch.context() as patch:
        patch.setattr(driver.window.autosave, "write", lambda: None)
        driver.window.files.recover(item)
    assert item.path.exists()  # a second crash now must not lose it
    assert _kept(driver.window) != [item.path]
    assert not item.path.exists()
    assert driver.session.document.scene == small_sample.scene


def test_after_a_save_no_older_state_is_offered(sample, tmp_path):
    sample.session.document.put(("last",), 99, "Shorter")
    assert len(_kept(sample.window)) == 1
    assert sample.window.files.save_to(tmp_path / "a.estompe")
    assert list(recovery.folder().glob("*.estompe")) == []


def test_lost_work_is_known_by_its_lock_and_not_by_a_process_number(small_sample):
    item = _left_behind(small_sample)
    lock = item.path.with_suffix(".lock")
    handle = os.open(lock, os.O_CREAT | os.O_RDWR)
    fcntl.flock(handle, fcntl.LOCK_EX)
    assert recovery.lost() == []
    os.close(handle)
    assert [found.path for found in recovery.lost()] == [item.path]
    assert "at an unknown time" in item.words()  # a note from nowhere must not keep the window from starting


def test_a_mesh_whose_name_is_no_text_can_be_saved_and_kept(driver, tmp_path):
    odd = tmp_path / "bad\udcff.obj"
    shutil.copy(HOSTILE / "o_cr.obj", odd)
    driver.window.files.import_mesh(odd)
    driver.qtbot.waitUntil(lambda: bool(driver.session.document.scene.shapes), timeout=20_000)
    driver.settle()
    assert len(_kept(driver.window)) == 1
    assert driver.window.files.save_to(tmp_path / "kept.estompe")
    assert file.load(tmp_path / "kept.estompe").scene == driver.session.document.scene
    assert preferences.load().recent


def test_autosave_says_once_that_it_fails_and_tries_again(sample, monkeypatch):
    said = []
    sample.session.messages.said.connect(lambda text, kind: said.append((text, kind)))
    with monkeypatch.context() as patch:
        patch.setattr(file, "save", _fail)
        sample.session.document.put(("last",), 99, "Shorter")
        for _ in range(3):
            sample.window.autosave.write()
            sample.window.autosave.wait()
        sample.qtbot.wait(20)
    assert [kind for text, kind in said if "Autosave failed" in text] == ["warning"]
    assert len(_kept(sample.window)) == 1


@pytest.mark.parametrize(
    ("answer", "last"), [(QMessageBox.StandardButton.No, 77), (QMessageBox.StandardButton.Yes, 55)]
)
def test_a_file_that_somebody_else_changed_is_not_overwritten_without_a_word(
    sample, tmp_path, monkeypatch, answer, last
):
    path = tmp_path / "shared.estompe"
    sample.window.files.save_to(path)
    other = sample.session.document.project
    file.save(other.with_scene(structs.replace(other.scene, last=77)), path)
    asked = []
    monkeypatch.setattr(QMessageBox, "question", lambda *words: asked.append(words[2]) or answer)
    sample.session.document.put(("last",), 55, "Shorter")
    sample.keys(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert "was changed on the disk" in asked[0]
    assert file.load(path).scene.last == last
