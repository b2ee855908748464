"""Importing every module of a folder, so that the kinds in them register themselves."""

import importlib
import pkgutil
from collections.abc import Iterable


def import_all(package: str, path: Iterable[str]) -> None:
    """Import each module directly inside a package."""
    for module in sorted(pkgutil.iter_modules(path), key=lambda module: module.name):
        importlib.import_module(f"{package}.{module.name}")
