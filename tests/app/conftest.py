"""The window under test, driven through pointer and keys."""

import threading

import pytest
from PyQt6.QtTest import QTest

from estompe.app.preferences import Preferences
from estompe.app.view import drawing
from estompe.app.widgets.removal import remove_widget
from estompe.app.window import Window
from tests.app.driving import Driver


@pytest.fixture(autouse=True)
def _soon_at_rest(monkeypatch):
    """The final picture follows at once: a person's patience is not what is tested here."""
    monkeypatch.setattr(drawing, "_REST", 0.01)


@pytest.fixture
def window(qapp):  # noqa: ARG001 - the application must be there
    """An empty window; its threads must be gone afterwards."""
    made = Window(Preferences(theme="paper"))
    made.resize(1280, 800)
    made.show()
    QTest.qWaitForWindowExposed(made)
    yield made
    # Closing would ask about unsaved work, with a dialog nobody answers.
    made.shut_down()
    remove_widget(made)
    assert not [thread.name for thread in threading.enumerate() if thread.name.startswith("estompe-")]


@pytest.fixture
def driver(window, qtbot):
    """Hands on the empty window."""
    return Driver(window, qtbot)


@pytest.fixture
def sample(driver, small_sample):
    """Hands on the window with the small sample, seen through its camera, computed and drawn."""
    driver.window.session.begin(small_sample, None, "small")
    driver.settle()
    return driver
