"""Starting the window."""

import gc
import shutil
import subprocess
import sys
import threading
from functools import partial
from importlib import resources
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from estompe import faults
from estompe.app import preferences, units
from estompe.app.leaving import Leaving
from estompe.app.window import Window
from estompe.precompile import is_prepared, precompile
from estompe.registered import load_kinds

_TURN = 0.0005
_NICELY = ["nice", "-n", "10"] if shutil.which("nice") else []


def run(file: Path | None, sample: str | None) -> int:
    """Open the window with a scene, a mesh, a sample, or the start sheet. Returns when it is closed."""
    # While frames are computed, every call into Qt would else wait up to five milliseconds for its turn.
    sys.setswitchinterval(_TURN)
    app = QApplication(["estompe"])
    app.setApplicationName("Estompe")
    app.setDesktopFileName("estompe")
    app.setWindowIcon(QIcon(str(resources.files("estompe.app") / "estompe.svg")))
    window = Window(preferences.load())
    window.show()
    sys.excepthook = partial(_left_undone, window)
    # Exempt what is loaded from garbage collection: walking it would take a tenth of a second each time, also during drags.
    gc.freeze()
    gc.enable()
    _prepare(window)
    if file is not None:
        QTimer.singleShot(0, lambda: window.files.open(file))
    elif sample is not None:
        QTimer.singleShot(0, lambda: window.files.open_sample(sample))
    Leaving(app, window)
    return app.exec()


def _left_undone(window: Window, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """A mistake of ours must not close the window over somebody's work."""
    sys.__excepthook__(kind, error, trace)
    if isinstance(error, Exception):
        window.session.messages.say(faults.record(error.with_traceback(trace), "The last step"), "error")


def _prepare(window: Window) -> None:
    """Compile kernels in the background; the window says so if it takes noticeable time."""

    def progress(fraction: float, name: str) -> None:
        window.session.messages.say(f"preparing {name} for this machine, {units.per_cent(fraction)}")

    def run() -> None:
        try:
            load_kinds()
            if not is_prepared():
                # In a process of its own: the compiler would hold up who works here.
                progress(0.0, "kernels")
                subprocess.run(
                    [*_NICELY, sys.executable, "-m", "estompe.cli", "prepare"], stdout=subprocess.DEVNULL, check=True
                )
            precompile(progress)
        except Exception as error:  # kernels are compiled when they are first needed, too
            window.session.messages.say(faults.record(error, "Preparing for this machine"), "warning")

    threading.Thread(target=run, name="estompe-prepare", daemon=True).start()


if __name__ == "__main__":
    sys.exit(run(None, None))
