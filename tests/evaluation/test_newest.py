"""A thread for the newest of a kind: what waits is forgotten, work gives way, and no error ends it."""

import threading

import pytest

from estompe import faults
from estompe.evaluation.background.newest import NewestThread


@pytest.fixture
def gate():
    """Lets the work at hand go on."""
    return threading.Event()


def test_only_the_newest_of_what_waits_is_worked_on(gate):
    begun, done = threading.Event(), []

    def work(item):
        begun.set()
        gate.wait(20)
        done.append(item)

    thread = NewestThread("test", work, done.append)
    thread.give(1)
    assert begun.wait(20)
    for item in (2, 3, 4):
        thread.give(item)
    assert thread.overtaken
    gate.set()
    assert thread.wait(20)
    assert done == [1, 4]
    thread.stop(20)


def test_work_gives_way_to_a_newer_item():
    begun, done = threading.Event(), []

    def work(item):
        begun.set()
        while item == "old":
            thread.give_way()
        done.append(item)

    thread = NewestThread("test", work, done.append)
    thread.give("old")
    assert begun.wait(20)
    thread.give("new")
    assert thread.wait(20)
    assert done == ["new"]
    thread.stop(20)


def test_an_error_is_told_and_the_next_item_is_worked_on(monkeypatch):
    told, done = [], []
    monkeypatch.setattr(faults, "record", lambda error, where: f"{where}: {error}")

    def work(item):
        done.append(100 // item)

    thread = NewestThread("test", work, told.append, lambda item: f"Dividing by {item}")
    thread.give(0)
    assert thread.wait(20)
    thread.give(5)
    assert thread.wait(20)
    assert done == [20]
    assert len(told) == 1
    assert told[0].startswith("Dividing by 0: ")
    thread.stop(20)


def test_the_end_drops_what_waits_and_tells_nothing():
    begun, told = threading.Event(), []

    def work(_item):
        begun.set()
        while True:
            thread.give_way()

    thread = NewestThread("test", work, told.append)
    thread.give(1)
    assert begun.wait(20)
    thread.stop(20)
    thread.give(2)
    assert not any(other.name == "estompe-test" and other.is_alive() for other in threading.enumerate())
    assert told == []
