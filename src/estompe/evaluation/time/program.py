"""What tells one program from another where results are kept on the disk: its code, and that of the plug-ins it has loaded.

A mended source must not be answered from a state that the old one led to. So digests hold a hash of everything that computes:
the source files of the core, and the functions of every registered kind, which may come from a plug-in.
"""

import sys
from collections.abc import Iterator
from functools import cache
from hashlib import blake2b
from pathlib import Path
from types import CodeType
from typing import Any

from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import kinds

_COMPUTING = ("document", "effects", "evaluation", "falloffs", "geometry", "importing", "kernels", "kinds", "shapes")
_FUNCTIONS = ("measure", "apply", "places", "prepare", "build", "assemble", "start", "step", "values", "shown", "reads")
_known: tuple[tuple[Any, ...], bytes] = ((), b"")


def program_digest() -> bytes:
    """Return what stands for the code that leads to results, 16 bytes: the same on every machine with the same code."""
    global _known
    functions = tuple(_functions())
    if functions != _known[0]:
        whole = blake2b(_core_digest(), digest_size=16)
        for function in functions:
            _add_code(whole, getattr(function, "__code__", None))
        for file in sorted(_plug_in_files(functions)):
            whole.update(file.read_bytes())
        _known = functions, whole.digest()
    return _known[1]


def _functions() -> Iterator[Any]:
    for family in (Source, Effect, ShapeSource):
        for kind in kinds(family).values():
            for name in _FUNCTIONS:
                function = getattr(kind, name, None)
                if function is not None:
                    yield function


@cache
def _core_digest() -> bytes:
    """A hash of the core's source files."""
    root = Path(__file__).parents[2]
    whole = blake2b(digest_size=16)
    for folder in _COMPUTING:
        for file in sorted((root / folder).rglob("*.py")):
            whole.update(file.relative_to(root).as_posix().encode())
            whole.update(file.read_bytes())
    return whole.digest()


def _add_code(whole: Any, code: CodeType | None) -> None:
    """Take in what a function does: names and constants, and not the bytes, which differ from one Python to another."""
    if code is None:
        return
    whole.update(repr((code.co_names, code.co_varnames)).encode())
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            _add_code(whole, constant)
        else:
            whole.update(repr(constant).encode())


def _plug_in_files(functions: tuple[Any, ...]) -> set[Path]:
    modules = {getattr(function, "__module__", "") for function in functions}
    names = {name for name in modules if name and name.partition(".")[0] != "estompe"}
    files = (getattr(sys.modules.get(name), "__file__", None) for name in names)
    return {Path(file) for file in files if file and Path(file).is_file()}
