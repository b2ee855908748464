"""What a figure is, how two things are timed in turn, and how figures are printed."""

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

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


def in_turn(ours: Task, peer: Task, rounds: int = ROUNDS, before: Task = lambda: None) -> tuple[float, float]:
    """The median times of two tasks run in turn, after one run of each that does not count.

    before: run ahead of each of ours, not timed.
    """
    before()
    ours(), peer()
    mine, theirs = [], []
    for _ in range(rounds):
        before()
        mine.append(milliseconds(ours))
        theirs.append(milliseconds(peer))
    return statistics.median(mine), statistics.median(theirs)
