"""Background evaluation: the newest request wins, frames ahead fill up, caches follow the scene."""

import threading
import time

import pytest
from tests.scenes import one_push

from estompe.document import edits
from estompe.evaluate import worker
from estompe.evaluate.worker import Request, Worker, relevant


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

    def _readied(self, request, share) -> None:
        with self.news:
            self.readied.append((request.frame, share))
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
    request = Request(one_push(), 140, "ball", "near")
    ears.worker.ask(request)
    ears.wait(lambda: len(ears.readied) == 143)
    assert ears.answers[0].request is request
    assert ears.answers[0].past_half > 0
    assert [frame for frame, _ in ears.readied[:6]] == [141, 142, 143, 144, 1, 2]
    assert ears.worker.ready_frames() == set(range(1, 145))
    assert ears.worker.ready(Request(request.project, 7, "ball", "near")).frame.number == 7


def test_a_mistake_of_ours_is_told_and_the_next_request_is_answered(monkeypatch, capsys):
    failures = []
    ears = _Ears(failed=failures.append)
    real = worker.work_out

    def broken(request, *others):
        if request.frame == 13:
            raise ZeroDivisionError("thirteen")
        return real(request, *others)

    monkeypatch.setattr(worker, "work_out", broken)
    ears.worker.ask(Request(one_push(), 13, "ball", "near"))
    while not failures:
        time.sleep(0.01)
    ears.worker.ask(Request(one_push(), 14, "ball", "near"))
    ears.wait(lambda: ears.answers)
    ears.worker.stop()
    assert str(failures[0]) == "thirteen"
    assert "ZeroDivisionError" in capsys.readouterr().err


def test_the_newest_request_wins(ears):
    project = one_push()
    for frame in range(1, 100):
        ears.worker.ask(Request(project, frame, "ball", "near"))
    ears.wait(lambda: ears.answers and ears.answers[-1].request.frame == 99)
    assert len(ears.answers) < 99


def test_an_edit_that_matters_forgets_ready_frames_and_a_name_does_not(ears):
    project = one_push()
    ears.worker.ask(Request(project, 1, "ball", "near"))
    ears.wait(lambda: len(ears.readied) == 143)
    renamed = project.with_scene(edits.put(project.scene, ("shapes", "ball", "name"), "Float"))
    assert ears.worker.ready(Request(renamed, 9, "ball", "near")) is not None
    pushed = project.with_scene(
        edits.put(project.scene, ("shapes", "ball", "effects", "push", "settings", "amount"), 0.4)
    )
    assert ears.worker.ready(Request(pushed, 9, "ball", "near")) is None
    assert relevant(renamed.scene) == relevant(project.scene) != relevant(pushed.scene)


def test_frames_ahead_stop_at_the_budget():
    ears = _Ears(frame_budget=50_000)
    ears.worker.ask(Request(one_push(), 1, "ball", "near"))
    ears.wait(lambda: len(ears.answers) == 1)
    ears.worker.ask(Request(one_push(), 2, "ball", "near"))
    ears.wait(lambda: len(ears.answers) == 2)
    ears.worker.stop()
    assert 1 < len(ears.worker.ready_frames()) < 10


def test_a_falloff_is_shown_on_the_current_shape_and_on_those_it_drives(ears, small_sample):
    ears.worker.ask(Request(small_sample, 60, "quay", "lantern-glow"))
    ears.wait(lambda: ears.answers)
    assert set(ears.answers[0].shown) == {"amphora", "quay"}
