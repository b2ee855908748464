"""Results of stages, kept under what they were made from; the least recently used go first past a budget."""

import threading
from collections.abc import Callable, Hashable
from itertools import count
from typing import Any
from weakref import WeakValueDictionary

import numpy as np

from estompe.evaluation.running.ledger import Ledger
from estompe.evaluation.running.plan import Plan
from estompe.evaluation.running.stage import Sized, Stage
from estompe.evaluation.running.token import Token
from estompe.geometry import Geometry
from estompe.kinds.context import CannotEvaluateError

DEFAULT_BUDGET = 1 << 30
# Beyond this the collector's walk over them would be felt.
_MOST_TOKENS = 60_000
# What is evicted at once, as a part of the budget.
_ROOM = 8
# Meshes grow after they were entered, by normals and what is derived from their topology: so often all are counted again.
_RECOUNT = 256
# Results that may wait to be counted, and bytes that are derived from a topology for each of its corners' own.
_MOST_UNCOUNTED, _OF_FACES = 4096, 12
# Bytes of a copy: its position, axes and scale, a colour, and whether it is shown.


class CancelledError(BaseException):
    """The work is no longer wanted. Not an `Exception`: no code that handles failures may take it for one."""


class Memo:
    """A store of stages, safe to ask from several threads. budget: bytes of results to keep."""

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        self.budget = budget
        self._results: dict[int, Stage[Any]] = {}
        # Evicted results that a frame still holds: to find them costs nothing, to compute them again would.
        self._held: WeakValueDictionary[int, Stage[Any]] = WeakValueDictionary()
        self._tokens: dict[Hashable, Token] = {}
        self._numbers = count()
        self._fresh: list[Stage[Any]] = []
        self._ledger = Ledger()
        self._entered = 0
        # Kept but not counted yet, and about how many bytes: counting each at once would cost a tenth of computing it.
        self._uncounted: list[Stage[Any]] = []
        self._about = 0
        self._topologies: set[int] = set()
        self._lock = threading.Lock()

    @property
    def used(self) -> int:
        """Bytes of the results that are kept, each array once."""
        self.take_in()
        with self._lock:
            self._count()
            return self._ledger.total

    def stage(self, plan: Plan, name: str, made_from: Hashable, compute: Callable[[], Sized]) -> Stage[Sized]:
        """The stage that makes something: as it was run and kept, or else one that waits in the plan.

        made_from: everything the result depends on; equal keys give the same token even after the result was evicted.
        Raises CannotEvaluateError where running it has failed.
        """
        key = name, made_from
        with self._lock:
            token = self._tokens.get(key)
            known = token is not None
            if token is None:
                token = self._tokens[key] = Token.of(next(self._numbers), name, made_from)
            made = self._results.pop(token, None) if known else None
            if made is not None:
                self._results[token] = made  # the last one used stands last
                return made
        if known:
            made = plan.planned.get(token)
            if made is not None:
                return made
            if token in plan.failed:
                raise CannotEvaluateError(plan.failed[token])
            made = self._held.get(token)
            if made is not None:
                return made
        stage = plan.planned[token] = Stage(name, token, compute)
        plan.waiting.append(stage)
        return stage

    def held(self, name: str, made_from: Hashable) -> Stage[Any] | None:
        """The stage, if it has been run and is still kept."""
        token = self._tokens.get((name, made_from))
        return None if token is None else self._results.get(token)

    def keep(self, stages: list[Stage[Any]]) -> None:
        """Queue stages that have been run; they become visible after `take_in()`."""
        with self._lock:
            self._fresh += stages

    def take_in(self) -> None:
        """Keep what was queued: not at once, since right after a kernel that costs three times as much."""
        if not self._fresh:
            return
        with self._lock:
            for stage in self._fresh:
                # What is remembered is kept elsewhere, under a budget of its own.
                if stage.name != "link" and stage.token not in self._results:
                    self._results[stage.token] = stage
                    self._uncounted.append(stage)
                    self._about += self._size_about(stage.made)
            self._fresh.clear()
            if self._ledger.total + self._about > self.budget or len(self._uncounted) > _MOST_UNCOUNTED:
                self._count()
                if self._entered > max(_RECOUNT, len(self._results) // 2):
                    self._recount()
                if self._ledger.total > self.budget:
                    self._make_room()
            if len(self._tokens) > _MOST_TOKENS:
                self._tokens.clear()  # numbers are never used twice, so old results merely become unreachable

    def _size_about(self, value: Any) -> int:
        """Not less than a result adds, found without looking at all of its arrays."""
        if isinstance(value, np.ndarray):
            return int(value.nbytes)
        if not isinstance(value, Geometry):
            return 0
        if not value.is_real:
            return value.bytes_per_frame
        new = id(value.topology) not in self._topologies
        self._topologies.add(id(value.topology))
        return value.bytes_per_frame + (_OF_FACES * value.topology.corners.nbytes if new else 0)

    def _count(self) -> None:
        for stage in self._uncounted:
            if stage.token in self._results:
                self._ledger.enter(stage.token, stage.made)
                self._entered += 1
        self._uncounted.clear()
        self._about = 0
        self._topologies.clear()

    def _recount(self) -> None:
        self._entered = 0
        self._ledger = Ledger()
        for token, stage in self._results.items():
            self._ledger.enter(token, stage.made)

    def _make_room(self) -> None:
        """Evict in batches: evicted entries are cold in the CPU cache, so evicting one at a time costs as much as a lookup."""
        enough = self.budget - self.budget // _ROOM
        for stage in list(self._results.values())[:-1]:
            if self._ledger.total <= enough:
                return
            if self._results.pop(stage.token, None) is not None:
                self._ledger.remove(stage.token)
                self._held[stage.token] = stage
