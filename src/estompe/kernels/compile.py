"""The one way kernels are compiled, so that their options agree, and so that nothing is compiled or loaded before it is needed.

Numba takes half a second to import, and most commands call no kernel. A decorated function stays as it is until its first call;
then it is made a dispatcher, and so are the kernels that it calls, whose names Numba looks up in their modules.
"""

import functools
import os
import pickle
import threading
from collections.abc import Callable, Iterator
from types import CellType, CodeType, ModuleType
from typing import Any

Function = Callable[..., Any]

# No reassociation and no "no-NaN" assumption: contraction alone keeps results the same on every path.
_FAST = {"contract", "nsz", "arcp"}
_OPTIONS = {"cache": True, "nogil": True, "fastmath": _FAST, "error_model": "numpy", "no_cfunc_wrapper": True}
_MAKING = threading.RLock()
_DAMAGE = (AttributeError, EOFError, ImportError, IndexError, KeyError, TypeError, ValueError, pickle.UnpicklingError)


class _Loop:
    """Stands for Numba's parallel range until a loop is compiled; in Python it is a plain range."""

    def __call__(self, *bounds: int) -> range:
        return range(*bounds)


prange = _Loop()


class Kernel:
    """A compiled loop that is compiled, or loaded from the cache on the disk, when it is first called."""

    def __init__(self, function: Function, options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self.function, self.options = function, options
        self._dispatcher: Any = None

    def __call__(self, *arguments: Any) -> Any:
        if self._dispatcher is None:
            self.dispatcher()
        return self._dispatcher(*arguments)

    def dispatcher(self) -> Any:
        """Numba's dispatcher for the loop, made once."""
        with _MAKING:
            if self._dispatcher is None:
                numba = _numba()
                _resolve(self.function, numba)
                self._dispatcher = numba.njit(self.function, **self.options)
                _pass_over_damaged(self._dispatcher)
                # Calls from its own module find the dispatcher itself from now on, which saves this call.
                places, name = self.function.__globals__, self.function.__name__  # type: ignore[attr-defined]
                if places.get(name) is self:
                    places[name] = self._dispatcher
        return self._dispatcher

    @property
    def signatures(self) -> list[Any]:
        """The argument types it is compiled for."""
        return list(self._dispatcher.signatures) if self._dispatcher is not None else []


def _pass_over_damaged(dispatcher: Any) -> None:
    """Have a loop compiled anew where what the cache on the disk holds of it cannot be read.

    Numba lets errors of unpickling through: of files that were cut off, or that an older program wrote with types that are gone.
    """
    kept: Any = getattr(getattr(dispatcher, "_cache", None), "_cache_file", None)
    if not hasattr(kept, "_load_index") or not hasattr(kept, "_load_data"):
        return
    load_index, load_data = kept._load_index, kept._load_data

    def index() -> Any:
        try:
            return load_index()
        except _DAMAGE:
            return {}

    def data(name: str) -> Any:
        try:
            return load_data(name)
        except _DAMAGE as error:
            raise OSError(f"{name} cannot be read") from error

    kept._load_index, kept._load_data = index, data


def _resolve(function: Function, numba: ModuleType) -> None:
    """Put dispatchers where a function's names lead to kernels: in its module and in what it closes over."""
    places = function.__globals__  # type: ignore[attr-defined]
    for name in _names(function.__code__):  # type: ignore[attr-defined]
        if name in places:
            places[name] = _resolved(places[name], numba)
    cells: tuple[CellType, ...] = function.__closure__ or ()  # type: ignore[attr-defined]
    for cell in cells:
        cell.cell_contents = _resolved(cell.cell_contents, numba)


def _resolved(value: Any, numba: ModuleType) -> Any:
    if isinstance(value, Kernel):
        return value.dispatcher()
    return numba.prange if value is prange else value


def _names(code: CodeType) -> Iterator[str]:
    """The names a function looks up, those of functions inside it included."""
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _names(constant)


@functools.cache
def _numba() -> ModuleType:
    """Numba, set up for this machine."""
    # A spinning OpenMP pool steals the other core from the interface thread; it must sleep between regions.
    os.environ.setdefault("OMP_WAIT_POLICY", "passive")
    import llvmlite.binding as llvm

    features = llvm.get_host_cpu_features()
    if features.get("avx512f"):
        # LLVM keeps to 256-bit vectors unless told otherwise; the noise kernels are 1.7 times faster with 512.
        features["prefer-256-bit"] = False
        os.environ.setdefault("NUMBA_CPU_FEATURES", features.flatten())
    import numba

    if "NUMBA_CPU_FEATURES" in os.environ:
        # Set again in case Numba was imported earlier; ignored after the first compilation.
        numba.config.CPU_FEATURES = os.environ["NUMBA_CPU_FEATURES"]
    # The default layer (workqueue) is not safe when several Python threads run kernels at once.
    numba.config.THREADING_LAYER = "threadsafe"
    _compare_options_quickly()
    return numba


def _compare_options_quickly() -> None:
    """Replace the comparison of Numba's options by one that reads only the options that were set; compiling takes a seventh less.

    Numba compares two sets of options thousands of times for each loop, and its own comparison reads all forty options of both.
    """
    from numba.core.targetconfig import TargetConfig

    compare = TargetConfig.__eq__
    hashes: dict[type, int] = {}

    def same(one: Any, other: object) -> Any:
        if isinstance(other, TargetConfig) and type(one) is type(other) and one._values == other._values:
            return True
        return compare(one, other)

    def hashed(one: Any) -> int:
        # Numba's own is that of the options' names, which all of a type have alike.
        kind = type(one)
        if kind not in hashes:
            hashes[kind] = hash(tuple(sorted(one.options)))
        return hashes[kind]

    TargetConfig.__eq__, TargetConfig.__hash__ = same, hashed


# An array that is assigned to a slice costs six seconds of compiling, for words about shapes that differ; a loop costs none.
# A count that starts as a number written out is compiled for that number and once more for any: inside kernels that are handed
# on to others it begins as np.int64(0).


def kernel(function: Function) -> Function:
    """Compile a one-thread loop: cached on disk, without the interpreter lock."""
    return Kernel(function, _OPTIONS)


def parallel_kernel(function: Function) -> Function:
    """Compile a loop over blocks that runs on all cores.

    Notes
    -----
    Numba loses what the body of a parallel loop writes to an array through a tuple: such arrays are taken out of the tuple before
    the loop, or written by a kernel that the body calls.
    """
    return Kernel(function, {**_OPTIONS, "parallel": True})


def inner(function: Function) -> Function:
    """Compile a loop that only other kernels call: Python has no entry to it, which saves a tenth of compiling."""
    return Kernel(function, {**_OPTIONS, "no_cpython_wrapper": True})


def inlined(function: Function) -> Function:
    """Compile a scalar helper that disappears into the kernels that call it; nothing else may call it."""
    return Kernel(function, {**_OPTIONS, "no_cpython_wrapper": True, "forceinline": True})


def use_threads(count: int) -> None:
    """Let the parallel kernels that this thread calls use so many threads; 0 for all there are. Results are the same."""
    numba = _numba()
    most = numba.config.NUMBA_NUM_THREADS
    wanted = min(count, most) if count > 0 else most
    if numba.get_num_threads() != wanted:
        numba.set_num_threads(wanted)
