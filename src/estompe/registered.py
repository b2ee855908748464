"""Importing modules that register something: the built-in kinds, and what plug-ins bring as entry points."""

import importlib
import pkgutil
import threading
from collections.abc import Callable, Iterable
from functools import cache
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from estompe import faults

if TYPE_CHECKING:
    from importlib.metadata import EntryPoints

GROUP = "estompe.kinds"
Item = TypeVar("Item")
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


@cache
def plug_ins(group: str) -> "EntryPoints":
    """What installed plug-ins name in an entry point group. Installed packages are looked through once."""
    points: EntryPoints = _installed().select(group=group)
    return points


@cache
def _installed() -> Any:
    from importlib.metadata import entry_points  # slow to import

    return entry_points()


def load_plug_ins(group: str) -> None:
    """Import what installed plug-ins name in an entry point group. A plug-in that fails is reported in `failures`."""
    for point in plug_ins(group):
        try:
            point.load()
        except (
            Exception,
            SystemExit,
        ) as error:  # a plug-in may raise anything, and must not keep the program from starting
            failures.append(faults.record(error, f"Loading the plug-in “{point.name}”"))


class Registry(Generic[Item]):
    """Classes by name, which the modules of a package and plug-ins register; both are imported when a name is first asked for.

    package: whose modules register; group: of the entry points.
    """

    def __init__(self, package: str, group: str) -> None:
        self._package, self._group, self._is_loaded = package, group, False
        self._items: dict[str, Item] = {}

    def add(self, name: str) -> Callable[[Item], Item]:
        """Register a class under a name."""

        def register(item: Item) -> Item:
            self._items[name] = item
            return item

        return register

    def __getitem__(self, name: str) -> Item:
        if not self._is_loaded:
            self._is_loaded = True
            import_all(self._package, importlib.import_module(self._package).__path__)
            load_plug_ins(self._group)
        return self._items[name]
