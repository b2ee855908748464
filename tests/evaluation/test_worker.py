"""Background evaluation: the newest request wins, frames ahead fill up, caches follow the scene."""

import threading
import time

import pytest
from PIL import Image
from tests.scenes import one_push

from estompe import faults
from estompe.document import edits
from estompe.document.scene import Layer
from estompe.evaluation import Memo
from estompe.evaluation.background import answers, watch, worker
from estompe.evaluation.background.answers import Request, compute_answer
from estompe.evaluation.background.worker import Worker
from estompe.falloffs.image import Image as ImageSource
from estompe.importing.pictures import stamp
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid


class _Ears:
    """Collects what a worker says."""

    def __init__(self, **options) -> None:
        self.answers, self.readied = [], []
        self.news = threading.Condition()
        self.worker = Worker(self._answered, self._readied, **options)

    def _answered(self, answer) -> None:
        with self.news:
            self.answers.append(answer)
            self.news.notify_all()

    def _readied(self, request, fraction) -> None:
        with self.news:
            self.readied.append((request.frame, fraction))
            self.news.notify_all()

    def wait(self, condition) -> None:
        with self.news:
            assert self.news.wait_for(condition, timeout=20)


@pytest.fixture
def ears():
    made = _Ears()
    yield made
    made.worker.stop()


def test_a_request_is_answered_and_frames_ahead_follow(ears):
    request = Request(one_push(), 140, "sphere", "near")
    ears.worker.ask(request)
    ears.wait(lambda: len(ears.readied) == 143)
    assert ears.answers[0].request is request
    assert ears.answers[0].past_half > 0
    assert [frame for frame, _ in ears.readied[:6]] == [141, 142, 143, 144, 1, 2]
    assert ears.worker.ready_frames() == set(range(1, 145))
    assert ears.worker.ready(Request(request.project, 7, "sphere", "near")).frame.number == 7


def test_a_mistake_of_ours_is_told_and_logged_and_the_next_request_is_answered(monkeypatch):
    failures = []
    ears = _Ears(failed=failures.append)
    real = worker.compute_answer

    def broken(request, *others):
        if request.frame == 13:
            raise ZeroDivisionError("thirteen")
        return real(request, *others)

    monkeypatch.setattr(worker, "compute_answer", broken)
    ears.worker.ask(Request(one_push(), 13, "sphere", "near"))
    while not failures:
        time.sleep(0.01)
    ears.worker.ask(Request(one_push(), 14, "sphere", "near"))
    ears.wait(lambda: ears.answers)
    ears.worker.stop()
    assert failures == [
        "Computing frame 13 failed (ZeroDivisionError: thirteen); save your work, the log has the details"
    ]
    assert "ZeroDivisionError" in faults.log_file().read_text()


def test_the_newest_request_wins(ears):
    project = one_push()
    for frame in range(1, 100):
        ears.worker.ask(Request(project, frame, "sphere", "near"))
    ears.wait(lambda: ears.answers and ears.answers[-1].request.frame == 99)
    assert len(ears.answers) < 99


def _everything_ready(ears, project):
    ears.readied.clear()
    ears.worker.ask(Request(project, 1, "sphere", "near"))
    ears.wait(lambda: len(ears.readied) == 143)


def test_after_a_rename_frames_are_evaluated_again_without_computing_anything(ears):
    project = one_push()
    _everything_ready(ears, project)
    points = ears.worker.ready(Request(project, 9, "sphere", "near")).frame["Sphere"].points
    renamed = project.with_scene(edits.put(project.scene, ("shapes", "sphere", "name"), "Float"))
    assert ears.worker.ready(Request(renamed, 9, "sphere", "near")) is None
    _everything_ready(ears, renamed)
    assert ears.worker.ready(Request(renamed, 9, "sphere", "near")).frame["Float"].points is points


def test_after_an_edit_no_frame_of_the_scene_before_is_shown(ears):
    project = one_push()
    _everything_ready(ears, project)
    path = ("shapes", "sphere", "effects", "push", "effect", "amount")
    pushed = project.with_scene(edits.put(project.scene, path, 0.4))
    assert ears.worker.ready(Request(pushed, 9, "sphere", "near")) is None
    assert ears.worker.ready(Request(project, 9, "sphere", "lamp")) is None


def _with_picture(picture):
    Image.new("RGB", (4, 4), (255, 0, 0)).save(picture)
    project = one_push()
    layer = Layer("picture", ImageSource(str(picture), "red"))
    scene = edits.insert(project.scene, ("falloffs", "near", "layers"), layer)
    return project.with_scene(edits.put(scene, ("shapes", "sphere", "source"), Grid(1.0, 1.0, 3, 3)))


def test_a_picture_that_changed_on_disk_is_noticed(ears, tmp_path):
    picture = tmp_path / "grain.png"
    project = _with_picture(picture)
    _everything_ready(ears, project)
    before = ears.worker.ready(Request(project, 9, "sphere", "near"))
    assert not before.frame.problems
    Image.new("RGB", (5, 5), (0, 0, 0)).save(picture)
    assert not before.files_unchanged()
    ears.worker.ask(Request(project, 9, "sphere", "near"))
    ears.wait(lambda: ears.answers[-1].frame.number == 9 and ears.answers[-1] is not before)
    assert ears.answers[-1].files_unchanged()


def test_the_interface_thread_looks_at_no_file(ears, tmp_path, monkeypatch):
    project = _with_picture(tmp_path / "grain.png")
    _everything_ready(ears, project)
    here, asked = threading.get_ident(), []
    monkeypatch.setattr(answers, "stamp", lambda name: asked.append(threading.get_ident()) or stamp(name))
    assert ears.worker.ready(Request(project, 9, "sphere", "near")).frame.number == 9
    ears.worker.ask(Request(project, 9, "sphere", "near"))
    deadline = time.monotonic() + 20
    while not asked and time.monotonic() < deadline:
        time.sleep(0.01)
    assert asked
    assert here not in asked


def test_a_watch_tells_once_of_a_file_that_changed(tmp_path, monkeypatch):
    picture = tmp_path / "grain.png"
    project = _with_picture(picture)
    monkeypatch.setattr(watch, "_EVERY", 0.01)
    told = []
    eyes = watch.FileWatch(lambda: told.append(1))
    eyes.look_at(compute_answer(Request(project, 9, "sphere", "near"), Memo()))
    time.sleep(0.1)
    assert told == []
    Image.new("RGB", (5, 5), (0, 0, 0)).save(picture)
    time.sleep(0.3)
    eyes.stop()
    assert told == [1]


def test_frames_stay_within_the_budget():
    ears = _Ears(frame_budget=150_000)
    moving = Keyed((Key(1, 0.6), Key(144, -0.6)))
    project = one_push(position=(moving, 0.0, 0.0))
    for frame in range(1, 40):
        ears.worker.ask(Request(project, frame, "sphere", "near"))
        ears.wait(lambda frame=frame: ears.answers and ears.answers[-1].request.frame == frame)
    ears.worker.stop()
    assert 1 <= len(ears.worker.ready_frames()) < 30
    assert ears.worker._answers._ledger.total < 400_000


def test_a_falloff_is_shown_on_the_current_shape_and_on_those_it_drives(ears, small_sample):
    ears.worker.ask(Request(small_sample, 60, "quay", "lantern-glow"))
    ears.wait(lambda: ears.answers)
    assert set(ears.answers[0].shown) == {"amphora", "quay"}
