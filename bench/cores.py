"""Our threads on a core each while they are timed; the peer runs as it likes.

In a virtual machine the scheduler takes an idle core for one that its host has taken away, and wakes a second thread on the
core of the first: a loop on two cores then takes as long as on one, in some rounds and not in others. On a machine of one's
own that does not happen.
"""

import os
from pathlib import Path

import numba
import numpy as np

_ALL = os.sched_getaffinity(0)
_TASKS = Path("/proc/self/task")


@numba.njit(parallel=True)
def _on_all_cores(out: np.ndarray) -> None:
    for i in numba.prange(len(out)):
        out[i] = i


def settle() -> None:
    """Start the threads that run our loops beside the main one, and give each a core of its own."""
    before = {task.name for task in _TASKS.iterdir()}
    _on_all_cores(np.empty(1000))
    others = sorted(_ALL)[1:]
    for number, task in enumerate(sorted({task.name for task in _TASKS.iterdir()} - before, key=int)):
        if others:
            os.sched_setaffinity(int(task), {others[number % len(others)]})


def ours() -> None:
    """The main thread on the first core."""
    os.sched_setaffinity(0, {min(_ALL)})


def anyones() -> None:
    """The main thread, and what it starts, wherever there is room."""
    os.sched_setaffinity(0, _ALL)
