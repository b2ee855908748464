"""Starting the window, with kernels in the cache on disk and without."""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator

from bench.figures import Figure

_START = """
import time
began = time.perf_counter()
import gc
gc.disable()
import json
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from estompe.app.preferences import Preferences
from estompe.app.start import _prepare
from estompe.app.window import Window
told = {}
app = QApplication([])
window = Window(Preferences())
window.show()
app.processEvents()
told["window"] = time.perf_counter() - began
gc.freeze()
gc.enable()
_prepare(window)
window.files.open_sample("lantern-amphora")
def check():
    if "picture" not in told and window.view._image is not None and window.session.evaluator.answer is not None:
        told["picture"] = time.perf_counter() - began
        window.shut_down()
        app.quit()
# How long the window leaves an event waiting at most, while kernels compile behind it.
beat = [time.perf_counter(), 0.0]
def tick():
    now = time.perf_counter()
    beat[1] = max(beat[1], now - beat[0])
    beat[0] = now
    check()
timer = QTimer(interval=5)
timer.timeout.connect(tick)
timer.start()
beat[0] = time.perf_counter()
app.exec()
told["longest"] = beat[1]
print(json.dumps(told))
"""


def _start(cache: str | None) -> dict[str, float]:
    with tempfile.TemporaryDirectory() as state:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_CONFIG_HOME": state, "XDG_STATE_HOME": state}
        if cache is not None:
            environment["NUMBA_CACHE_DIR"] = cache
        done = subprocess.run(
            [sys.executable, "-c", _START], env=environment, capture_output=True, text=True, check=True
        )
        told: dict[str, float] = json.loads(done.stdout)
        return told


_COMMANDS = {
    "import estompe": [sys.executable, "-c", "import estompe"],
    "estompe --help": [sys.executable, "-m", "estompe.cli", "--help"],
    "estompe sample --list": [sys.executable, "-m", "estompe.cli", "sample", "--list"],
}
_LONGEST = 0.4


def _took(command: list[str]) -> float:
    """The median of some runs of a whole command, in seconds; bytecode is kept, as it is for users."""
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    times = []
    for _ in range(6):
        began = time.perf_counter()
        subprocess.run(command, env=environment, capture_output=True, check=True)
        times.append(time.perf_counter() - began)
    return statistics.median(times[1:])


def figures() -> Iterator[Figure]:
    """All of them."""
    for name, command in _COMMANDS.items():
        yield Figure(f"{name} (peer: 0.4 s)", _took(command), _LONGEST, 1.0, "within", "s")
    peer = _took([sys.executable, "-c", "import numpy, PyQt6.QtWidgets"])
    _start(None)
    warm = min((_start(None) for _ in range(3)), key=lambda told: told["picture"])
    with tempfile.TemporaryDirectory() as cache:
        fresh = _start(cache)
    name = "start to the window shown, kernels warm (peer: import numpy, PyQt6.QtWidgets)"
    yield Figure(name, warm["window"], peer, 2.5, "within", "s")
    yield Figure("start to the first picture of the sample, kernels warm", warm["picture"], 0, 0, "told", "s")
    yield Figure("first start on a fresh machine, to the window shown", fresh["window"], 0, 0, "told", "s")
    yield Figure("first start on a fresh machine, to the first picture", fresh["picture"], 0, 0, "told", "s")
    yield Figure("longest wait of the window meanwhile", fresh["longest"], 0, 0, "told", "s")
