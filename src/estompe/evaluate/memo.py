"""Results of stages, kept under what they were made from; the least recently used go first past a budget."""

import threading
from collections.abc import Callable, Hashable
from itertools import count
from typing import Any

from estompe.document.kinds import MissingError
from estompe.evaluate.plan import Plan
from estompe.evaluate.stage import Sized, Stage

DEFAULT_BUDGET = 1 << 30
# Beyond this the collector's walk over them would be felt.
_MOST_TOKENS = 60_000
# What is dropped at once, as a part of the budget.
_ROOM = 16


class CancelledError(Exception):
    """The work is no longer wanted."""


class Memo:
    """A store of stages that several threads may ask at once. budget: bytes of results to keep."""

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        self.budget = budget
        self._results: dict[int, Stage[Any]] = {}
        self._tokens: dict[Hashable, int] = {}
        self._numbers = count()
        self._fresh: list[Stage[Any]] = []
        self._used = 0
        self._lock = threading.Lock()

    @property
    def used(self) -> int:
        """Bytes of the results that are kept."""
        self.take_in()
        return self._used

    def stage(self, plan: Plan, name: str, made_from: Hashable, compute: Callable[[], Sized]) -> Stage[Sized]:
        """The stage that makes something: as it was run and kept, or else one that waits in the plan.

        made_from: everything the result depends on; equal keys give the same token even after the result was dropped.
        Raises MissingError where running it has failed.
        """
        # Without calls and locks, since a frame asks for some ten stages and this is what that costs. Each step is one
        # operation on a dictionary, and those are never cut in two by another thread.
        number = next(self._numbers)
        token = self._tokens.setdefault((name, made_from), number)
        if token != number:
            made = self._results.pop(token, None)
            if made is not None:
                self._results[token] = made  # the last one used stands last
                return made
            made = plan.planned.get(token)
            if made is not None:
                return made
            if token in plan.failed:
                raise MissingError(plan.failed[token])
        stage = plan.planned[token] = Stage(name, token, compute)
        plan.waiting.append(stage)
        return stage

    def held(self, name: str, made_from: Hashable) -> Stage[Any] | None:
        """The stage, if it has been run and is still kept."""
        return self._results.get(self._tokens.get((name, made_from), -1))

    def keep(self, stages: list[Stage[Any]]) -> None:
        """Hand over stages that have been run. To find them takes `take_in`."""
        with self._lock:
            self._fresh += stages

    def take_in(self) -> None:
        """Keep what was handed over: not at once, since right after a kernel that costs three times as much."""
        if not self._fresh:
            return
        with self._lock:
            for stage in self._fresh:
                if stage.token not in self._results:
                    self._results[stage.token] = stage
                    self._used += stage.value.nbytes
            self._fresh.clear()
            if self._used > self.budget:
                self._make_room()
            if len(self._tokens) > _MOST_TOKENS:
                self._tokens.clear()  # numbers are never used twice, so old results merely become unreachable

    def _make_room(self) -> None:
        """Drop many at once: one by one they cost as much as finding them, since nothing of them is in a cache any more."""
        enough = self.budget - self.budget // _ROOM
        for stage in list(self._results.values())[:-1]:
            if self._used <= enough:
                return
            if self._results.pop(stage.token, None) is not None:
                self._used -= stage.value.nbytes
