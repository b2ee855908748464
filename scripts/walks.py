"""Random walks through the real window, long ones, with all that must hold counted: `make walks`.

    python -m scripts.walks --events 3000 [--sample cairn --seed 7]

It prints one line per sample: tracebacks, warnings in the log, handlers that took over half a second, whether undo led back
to the first scene, and how much memory was added. Each walk runs in a process of its own.
"""

import argparse
import logging
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType
from typing import Any

WALKS = (
    "lantern-amphora", "buoy-fender", "octopus-arm", "sea-fans", "pennants-gull", "cairn", "tarred-rope", "wake", "storm-sail",
    "glass-float", "wall-tiles", "figurehead",
)  # fmt: skip
_SLOW = 0.5


def _rss() -> float:
    """Memory of this process in MB."""
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 2**20


class _Faults(logging.Handler):
    """Warnings and errors that were logged."""

    def __init__(self) -> None:
        super().__init__(logging.WARNING)
        self.lines: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.lines.append(record.getMessage()[-1500:])


class _Handlers:
    """How long handlers on the interface thread took, waits and events that were nested in one counted with it."""

    def __init__(self) -> None:
        self.slow: list[tuple[float, str]] = []
        self.depth = 0

    @contextmanager
    def timed(self, words: str) -> Iterator[None]:
        begun, self.depth = time.perf_counter(), self.depth + 1
        try:
            yield
        finally:
            self.depth -= 1
            took = time.perf_counter() - begun
            if self.depth == 0 and took > _SLOW:
                self.slow.append((took, words))


def _application(handlers: _Handlers) -> Any:
    from PyQt6.QtCore import QEvent, QObject
    from PyQt6.QtWidgets import QApplication

    class Timed(QApplication):
        def notify(self, receiver: QObject | None, event: QEvent | None) -> bool:
            with handlers.timed(f"{type(receiver).__name__} {event.type().name if event else ''}"):
                return super().notify(receiver, event)

    return Timed(["estompe"])


class _Waiting:
    """What the driver asks of pytest-qt."""

    def wait(self, milliseconds: int) -> None:
        from PyQt6.QtTest import QTest

        QTest.qWait(milliseconds)

    def waitUntil(self, condition: Any, timeout: int = 20_000) -> None:
        until = time.monotonic() + timeout / 1000 * 6
        while not condition():
            if time.monotonic() > until:
                raise TimeoutError("the window did not catch up")
            self.wait(10)


def walk(name: str, seed: int, events: int) -> int:
    """Walk through one sample in this process, print what was seen, and give the number of defects."""
    handlers, faults, tracebacks = _Handlers(), _Faults(), []

    def noted(kind: type[BaseException], error: BaseException, place: TracebackType | None) -> None:
        import traceback

        tracebacks.append("".join(traceback.format_exception(kind, error, place))[-3000:])

    sys.excepthook = noted
    application = _application(handlers)
    logging.getLogger().addHandler(faults)
    from tests.app.driving import Driver
    from tests.app.wandering import Wanderer

    from estompe.app.preferences import Preferences
    from estompe.app.window import Window
    from estompe.document.file import load, save
    from estompe.samples import sample

    window = Window(Preferences(theme="paper"))
    window.resize(1280, 800)
    window.show()
    driver = Driver(window, _Waiting())
    item = sample(name)
    driver.session.begin(item.build(0.05), None, item.title)
    driver.settle()
    run = window.run

    def timed_run(command: str) -> None:
        with handlers.timed(f"command {command}"):
            run(command)

    window.run = timed_run  # type: ignore[method-assign]
    begun, wanderer, memory, changed = driver.session.document.scene, Wanderer(driver, seed), _rss(), 0
    for number in range(events):
        try:
            wanderer.step()
        except Exception as error:
            noted(type(error), error, error.__traceback__)
        if number % 25 == 24:
            driver.qtbot.wait(30)
        if number % 250 == 249:
            with tempfile.TemporaryDirectory() as folder:
                save(driver.session.document.project, Path(folder) / "walk.estompe")
                changed += load(Path(folder) / "walk.estompe").scene != driver.session.document.scene
            print(f"  {name}: {number + 1} events, {_rss():.0f} MB", file=sys.stderr, flush=True)
    from PyQt6.QtCore import Qt

    driver.keys(Qt.Key.Key_Escape)
    while driver.session.document.undo_label is not None:
        driver.session.document.undo()
    undone = driver.session.document.scene == begun
    rise = _rss() - memory
    window.time.player.stop()
    window.shut_down()
    print(
        f"{name} seed {seed}: {events} events, {len(tracebacks)} tracebacks, {len(faults.lines)} faults,",
        f"{len(handlers.slow)} slow, {changed} saved otherwise, undo {'identical' if undone else 'DIFFERS'}, {rise:+.0f} MB",
    )
    for words in (*dict.fromkeys(tracebacks), *dict.fromkeys(faults.lines)):
        print("    " + words.replace("\n", "\n    "))
    for took, words in sorted(handlers.slow, reverse=True)[:12]:
        print(f"    {took:.2f} s: {words}")
    sys.stdout.flush()
    del application
    return len(tracebacks) + len(faults.lines) + changed + (not undone)


def main() -> None:
    """Walk through one sample here, or through all of them in processes of their own."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--events", type=int, default=3000)
    parser.add_argument("--sample", choices=WALKS)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    if given.sample:
        os._exit(bool(walk(given.sample, given.seed, given.events)))
    failed = 0
    for number, name in enumerate(WALKS):
        with tempfile.TemporaryDirectory() as home:
            own = dict.fromkeys(("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"), home)
            command = [sys.executable, "-m", "scripts.walks", "--sample", name, "--seed", str(given.seed + number)]
            failed += (
                subprocess.run([*command, "--events", str(given.events)], check=False, env=os.environ | own).returncode
                != 0
            )
    sys.exit(failed)


if __name__ == "__main__":
    main()
