"""A cache of nodes that have been run, by their keys; the least recently used are evicted past a budget."""

import threading
from collections.abc import Callable, Hashable
from itertools import count
from typing import Any
from weakref import WeakValueDictionary

import numpy as np

from estompe.evaluation.running.ledger import Ledger
from estompe.evaluation.running.node import Node, Sized
from estompe.evaluation.running.pending import Pending
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
STATE = "state"
"""The name of nodes whose values are states."""


class CancelledError(BaseException):
    """The work is no longer wanted. Not an `Exception`: no code that handles failures may take it for one."""


class Memo:
    """A cache of nodes, safe to ask from several threads. budget: bytes of values to keep."""

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        self.budget = budget
        self._results: dict[int, Node[Any]] = {}
        # Evicted results that a frame still holds: to find them costs nothing, to compute them again would.
        self._held: WeakValueDictionary[int, Node[Any]] = WeakValueDictionary()
        self._tokens: dict[Hashable, Token] = {}
        self._numbers = count()
        self._fresh: list[Node[Any]] = []
        self._ledger = Ledger()
        self._entered = 0
        # Kept but not counted yet, and about how many bytes: counting each at once would cost a tenth of computing it.
        self._uncounted: list[Node[Any]] = []
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

    def node(
        self, pending: Pending, name: str, made_from: Hashable, function: Callable[..., Sized], inputs: tuple[Any, ...]
    ) -> Node[Sized]:
        """A node: the cached one of its key, or else one that waits to be run.

        made_from: the tokens of the inputs; equal keys give the same token even after the value was evicted.
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
            made = pending.planned.get(token)
            if made is not None:
                return made
            if token in pending.failed:
                raise CannotEvaluateError(pending.failed[token])
            made = self._held.get(token)
            if made is not None:
                return made
        node = pending.planned[token] = Node(name, token, function, inputs)
        pending.waiting.append(node)
        return node

    def held(self, name: str, made_from: Hashable) -> Node[Any] | None:
        """The node of a key, if it has been run and is still cached."""
        token = self._tokens.get((name, made_from))
        return None if token is None else self._results.get(token)

    def keep(self, nodes: list[Node[Any]]) -> None:
        """Queue nodes that have been run; they are found after `take_in()`."""
        with self._lock:
            self._fresh += nodes

    def take_in(self) -> None:
        """Keep what was queued: not at once, since right after a kernel that costs three times as much."""
        if not self._fresh:
            return
        with self._lock:
            for node in self._fresh:
                # States are kept elsewhere, under a budget of their own.
                if node.name != STATE and node.token not in self._results:
                    self._results[node.token] = node
                    self._uncounted.append(node)
                    self._about += self._size_about(node.made)
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
        for node in self._uncounted:
            if node.token in self._results:
                self._ledger.enter(node.token, node.made)
                self._entered += 1
        self._uncounted.clear()
        self._about = 0
        self._topologies.clear()

    def _recount(self) -> None:
        self._entered = 0
        self._ledger = Ledger()
        for token, node in self._results.items():
            self._ledger.enter(token, node.made)

    def _make_room(self) -> None:
        """Evict in batches: evicted entries are cold in the CPU cache, so evicting one at a time costs as much as a lookup."""
        enough = self.budget - self.budget // _ROOM
        for node in list(self._results.values())[:-1]:
            if self._ledger.total <= enough:
                return
            if self._results.pop(node.token, None) is not None:
                self._ledger.remove(node.token)
                self._held[node.token] = node
