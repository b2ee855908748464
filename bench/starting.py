"""Starting the window, with kernels in the cache on disk and without."""

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator

from bench.figures import Figure

_START = """
import time
began = time.perf_counter()
import json
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from estompe.app.preferences import Preferences
from estompe.app.start import _warm
from estompe.app.window import Window
told = {}
app = QApplication([])
window = Window(Preferences())
window.show()
app.processEvents()
told["window"] = time.perf_counter() - began
_warm(window)
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


def figures() -> Iterator[Figure]:
    """All of them."""
    _start(None)
    warm = min((_start(None) for _ in range(3)), key=lambda told: told["picture"])
    with tempfile.TemporaryDirectory() as cache:
        fresh = _start(cache)
    yield Figure("start to the window shown, kernels warm", warm["window"], 0, 0, "told", "s")
    yield Figure("start to the first picture of the sample, kernels warm", warm["picture"], 0, 0, "told", "s")
    yield Figure("first start on a fresh machine, to the window shown", fresh["window"], 0, 0, "told", "s")
    yield Figure("first start on a fresh machine, to the first picture", fresh["picture"], 0, 0, "told", "s")
    yield Figure("longest wait of the window meanwhile", fresh["longest"], 0, 0, "told", "s")
