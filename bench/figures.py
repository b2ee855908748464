"""What a figure is, how two things are timed in turn, and how figures are printed."""

import statistics
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Literal

import numpy as np

from bench import cores
from estompe.evaluation import Memo

Task = Callable[[], object]
ROUNDS = 9


@dataclass(frozen=True)
class Figure:
    """One measured line. sense: "at least" for speed-ups (peer over ours), "within" for costs (ours over peer)."""

    name: str
    ours: float
    peer: float
    bar: float
    sense: Literal["at least", "within", "told"]
    unit: str = "ms"
    note: str = ""

    @property
    def ratio(self) -> float:
        over, under = (self.peer, self.ours) if self.sense == "at least" else (self.ours, self.peer)
        return over / under if under else 0.0

    @property
    def verdict(self) -> str:
        if self.sense == "told":
            return "told"
        good = self.ratio >= self.bar if self.sense == "at least" else self.ratio <= self.bar
        return "ok" if good else "short"

    def cells(self) -> tuple[str, str, str, str, str, str]:
        """Name, ours, peer, ratio, bar and verdict as words."""
        if self.sense == "told":
            return self.name, _amount(self.ours, self.unit), "-", "-", "-", "told"
        sign = "≥" if self.sense == "at least" else "≤"
        amounts = _amount(self.ours, self.unit), _amount(self.peer, self.unit)
        return self.name, *amounts, f"{self.ratio:.2f}x", f"{sign} {self.bar:g}x", self.verdict


def _amount(value: float, unit: str) -> str:
    digits = 2 if abs(value) >= 1 else 3
    return f"{value:.{digits}f} {unit}" if abs(value) >= 1e-3 or value == 0 else f"{value:.1e} {unit}"


def milliseconds(task: Task) -> float:
    """How long a task takes once."""
    began = time.perf_counter()
    task()
    return (time.perf_counter() - began) * 1000


def in_turn(
    ours: Task, peer: Task, rounds: int = ROUNDS, before: Task = lambda: None, of_ours: bool = False
) -> tuple[float, float]:
    """The median times of two tasks run in turn, after one run of each that does not count.

    before: run ahead of each of ours, not timed; of_ours: the peer is our own kernels, so it gets the same cores.
    """
    before()
    ours(), peer()
    mine, theirs = [], []
    for _ in range(rounds):
        before()
        cores.ours()
        mine.append(milliseconds(ours))
        if not of_ours:
            cores.anyones()
        theirs.append(milliseconds(peer))
    cores.anyones()
    return statistics.median(mine), statistics.median(theirs)


def in_processes(times: Callable[[int], tuple[float, float]], size: int, processes: int = 5) -> tuple[float, float]:
    """Two times measured in several new processes one after the other: those of the process with the median ratio.

    Where things lie in memory differs from process to process, and with it the ratio of short tasks, by some hundredths.
    """
    with get_context("spawn").Pool(1, cores.settle, maxtasksperchild=1) as pool:
        found = pool.map(times, [size] * processes, chunksize=1)
    return sorted(found, key=lambda pair: pair[0] / pair[1])[processes // 2]


KEPT = 64 << 20
"""What a memo may keep while it is measured. It is filled beforehand: on a virtual machine fresh pages cost more than the
loops that write them, and whoever works for a minute has a full memo."""


def fill(memo: Memo, task: Task) -> None:
    """Run a task until the memo gives back memory for what it takes."""
    while memo.used < 0.9 * memo.budget:
        task()


def keeping(task: Callable[[], tuple[np.ndarray, ...]]) -> Task:
    """The task with what it makes kept as long as a memo keeps it, and as much of it there already.

    Thrown away at once, results would be written into the same few warm megabytes again and again, which no evaluation
    that remembers anything can do.
    """
    kept = deque([task()])
    size = sum(array.nbytes for array in kept[0])

    def both() -> None:
        kept.append(task())
        if len(kept) * size > KEPT:
            kept.popleft()

    for _ in range(KEPT // size + 1):
        both()
    return both
