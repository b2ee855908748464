"""Results of stages, kept under what they were made from; the least recently used go first past a budget."""

import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, Generic, Protocol, TypeVar

from msgspec import Struct


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


Sized = TypeVar("Sized", bound=_Sized)
DEFAULT_BUDGET = 1 << 30
# Beyond this the collector's walk over them would be felt.
_MOST_TOKENS = 60_000
# What is dropped at once, as a part of the budget.
_ROOM = 16


class Made(Struct, Generic[Sized], frozen=True):
    """What a stage made, the token that stands for it, and the bytes it takes."""

    value: Sized
    token: int
    nbytes: int


class CancelledError(Exception):
    """The work is no longer wanted."""


class Memo:
    """A store of stage results that several threads may ask at once.

    budget: bytes of results to keep; computed: how often each stage was really worked out, for tests and figures.
    """

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        self.budget = budget
        self.computed: Counter[str] = Counter()
        self._results: OrderedDict[int, Made[Any]] = OrderedDict()
        self._tokens: dict[Hashable, int] = {}
        self._next = 0
        self._used = 0
        self._lock = threading.Lock()

    @property
    def used(self) -> int:
        """Bytes of the results that are kept."""
        return self._used

    def stage(self, name: str, made_from: Hashable, compute: Callable[[], Sized]) -> "Made[Sized]":
        """The result of a stage with a token that stands for it in the keys of later stages.

        made_from: everything the result depends on; equal keys give the same token even after the result was dropped.
        """
        # One function without calls inside: a frame asks for some ten stages, and Python's calls are what that costs.
        key = (name, made_from)
        with self._lock:
            # In one step: hashing a key, which holds whole settings, is half of what finding its token costs.
            token = self._tokens.setdefault(key, self._next)
            if token == self._next:
                self._next += 1
                if len(self._tokens) > _MOST_TOKENS:
                    self._tokens.clear()  # numbers are never used twice, so old results merely become unreachable
            else:
                made = self._results.get(token)
                if made is not None:
                    self._results.move_to_end(token)
                    return made
        value = compute()
        made = Made(value, token, value.nbytes)
        with self._lock:
            self.computed[name] += 1
            if token not in self._results:
                self._results[token] = made
                self._used += made.nbytes
                if self._used > self.budget:
                    self._make_room()
        return made

    def held(self, name: str, made_from: Hashable) -> "Made[Any] | None":
        """The result of a stage, if it has been worked out and is still kept."""
        with self._lock:
            token = self._tokens.get((name, made_from))
            return None if token is None else self._results.get(token)

    def _make_room(self) -> None:
        """Drop many at once: one by one they cost as much as finding them, since nothing of them is in a cache any more."""
        enough = self.budget - self.budget // _ROOM
        while self._used > enough and len(self._results) > 1:
            _, dropped = self._results.popitem(last=False)
            self._used -= dropped.nbytes
