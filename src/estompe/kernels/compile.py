"""The one way kernels are compiled, so that their options agree."""

from collections.abc import Callable
from typing import Any

import numba

Function = Callable[..., Any]

# No reassociation and no "no-NaN" assumption: contraction alone keeps results the same on every path.
_FAST = {"contract", "nsz", "arcp"}


def kernel(function: Function) -> Function:
    """Compile a one-thread loop: cached on disk, without the interpreter lock."""
    return numba.njit(function, cache=True, nogil=True, fastmath=_FAST, error_model="numpy")


def parallel_kernel(function: Function) -> Function:
    """Compile a loop over blocks that runs on all cores."""
    return numba.njit(function, cache=True, nogil=True, parallel=True, fastmath=_FAST, error_model="numpy")


def inlined(function: Function) -> Function:
    """Compile a scalar helper that disappears into the loops that call it."""
    return numba.njit(function, cache=True, nogil=True, fastmath=_FAST, error_model="numpy", forceinline=True)


def use_threads(count: int) -> None:
    """Let the parallel kernels that this thread calls use so many threads; 0 for all there are. Results are the same."""
    most = numba.config.NUMBA_NUM_THREADS
    wanted = min(count, most) if count > 0 else most
    if numba.get_num_threads() != wanted:
        numba.set_num_threads(wanted)
