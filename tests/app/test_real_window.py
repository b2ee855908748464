"""Once in a real window: the program under an X server, driven from outside by a pointer and keys of that server."""

import os
import shutil
import subprocess
import sys
import time

import numpy as np
import pytest

import estompe
from estompe.kinds.numbers import value_at

pytestmark = pytest.mark.xvfb_window


@pytest.fixture
def screen():
    """An X server of our own and its display's name."""
    if shutil.which("Xvfb") is None or shutil.which("xdotool") is None:
        pytest.fail("Xvfb or xdotool is missing: run `make setup`")
    read, write = os.pipe()
    command = ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-noreset"]
    server = subprocess.Popen(command, pass_fds=(write,), stderr=subprocess.DEVNULL)
    os.close(write)
    with os.fdopen(read) as told:
        number = told.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait()


def _until(condition, seconds: float = 30.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = condition()
        if found:
            return found
        time.sleep(0.1)
    raise AssertionError("waited in vain")


def test_drag_undo_drag_save_and_quit_in_a_real_window(sample, screen, tmp_path):
    path = tmp_path / "real.estompe"
    sample.session.document.put(("first",), 60, "Begin where the lantern is in the picture")
    sample.session.playhead.go(60)
    sample.settle()
    estompe.save(sample.session.document.project, path)
    at = sample.view.mapTo(sample.window, sample.view.rect().topLeft())
    handle = next(part for part in sample.view.handles().parts if part.part == "axis" and part.axis == 1)
    begin, end = (np.round(np.array(sample.pixel(place)) + [at.x(), at.y()]).astype(int) for place in handle.line)
    grip = (begin + end) // 2

    environment = {**os.environ, "DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    program = subprocess.Popen([sys.executable, "-m", "estompe.cli", str(path)], env=environment)

    def do(*words: object) -> str:
        done = subprocess.run(
            ["xdotool", *map(str, words)], env=environment, capture_output=True, text=True, check=False
        )
        return done.stdout.strip()

    try:
        window = _until(lambda: do("search", "--onlyvisible", "--name", "real.estompe"))
        time.sleep(1.5)
        do("windowfocus", window)

        def drag() -> None:
            do("mousemove", *grip, "mousedown", 1)
            for step in range(1, 6):
                do("mousemove", grip[0], grip[1] - 10 * step, "sleep", 0.05)
            do("mouseup", 1, "sleep", 0.3)

        def place() -> list[float]:
            lantern = estompe.open(path).scene.controls[0]
            return [value_at(number, 60) for number in lantern.transform.position]

        before = place()
        drag()
        do("key", "ctrl+z", "sleep", 0.3, "key", "ctrl+s", "sleep", 0.3)
        assert place() == before
        drag()
        do("key", "ctrl+s")
        after = _until(lambda: place() if place() != before else None, 10)
        assert after[1] - before[1] > 0.05
        assert np.allclose([after[0], after[2]], [before[0], before[2]])
        do("key", "ctrl+q")
        assert program.wait(timeout=20) == 0
    finally:
        program.kill()
