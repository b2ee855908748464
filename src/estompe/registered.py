"""Importing modules that register something: the built-in kinds, and what plug-ins bring as entry points."""

import importlib
import pkgutil
import threading
from collections.abc import Iterable

from estompe import faults

GROUP = "estompe.kinds"
_LOADING = threading.RLock()
_begun, _loaded = threading.Event(), threading.Event()
failures: list[str] = []
"""What could not be loaded, in words for a person; the rest of the program goes on without it."""


def import_all(package: str, path: Iterable[str]) -> None:
    """Import each module directly inside a package."""
    for module in sorted(pkgutil.iter_modules(path), key=lambda module: module.name):
        importlib.import_module(f"{package}.{module.name}")


def load_kinds() -> None:
    """Register the built-in kinds, then those of installed plug-ins, once. A plug-in that fails is reported in `failures`."""
    if _loaded.is_set():
        return
    with _LOADING:
        if not _loaded.is_set() and not _begun.is_set():
            _begun.set()  # what is loaded may ask for kinds itself
            _load()
            _loaded.set()


def _load() -> None:
    for name in ("estompe.shapes", "estompe.falloffs", "estompe.effects"):
        import_all(name, importlib.import_module(name).__path__)
    load_plug_ins(GROUP)


def load_plug_ins(group: str) -> None:
    """Import what installed plug-ins name in an entry point group. A plug-in that fails is reported in `failures`."""
    from importlib.metadata import entry_points  # slow to import

    for point in entry_points(group=group):
        try:
            point.load()
        except (
            Exception,
            SystemExit,
        ) as error:  # a plug-in may raise anything, and must not keep the program from starting
            failures.append(faults.record(error, f"Loading the plug-in “{point.name}”"))
