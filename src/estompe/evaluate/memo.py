"""Results of stages, kept under what they were made from; the least recently used go first past a budget."""

import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

Value = TypeVar("Value")
DEFAULT_BUDGET = 1 << 30
# Beyond this the collector's walk over them would be felt.
_MOST_TOKENS = 60_000


class CancelledError(Exception):
    """The work is no longer wanted."""


class Memo:
    """A store of stage results that several threads may ask at once.

    budget: bytes of results to keep; computed: how often each stage was really worked out, for tests and figures.
    """

    def __init__(self, budget: int = DEFAULT_BUDGET) -> None:
        self.budget = budget
        self.computed: Counter[str] = Counter()
        self._results: OrderedDict[int, tuple[Any, int]] = OrderedDict()
        self._tokens: dict[Hashable, int] = {}
        self._next = 0
        self._used = 0
        self._lock = threading.Lock()

    @property
    def used(self) -> int:
        """Bytes of the results that are kept."""
        return self._used

    def stage(
        self, name: str, made_from: Hashable, compute: Callable[[], Value], size: Callable[[Value], int]
    ) -> tuple[Value, int]:
        """The result of a stage and a token that stands for it in the keys of later stages.

        made_from: everything the result depends on; equal keys give the same token even after the result was dropped.
        """
        with self._lock:
            token = self._token((name, made_from))
            found = self._results.get(token)
            if found is not None:
                self._results.move_to_end(token)
                return found[0], token
        value = compute()
        self._keep(name, token, value, size(value))
        return value, token

    def _token(self, key: Hashable) -> int:
        token = self._tokens.get(key)
        if token is None:
            if len(self._tokens) >= _MOST_TOKENS:
                self._tokens.clear()  # numbers are never used twice, so old results merely become unreachable
            token = self._tokens[key] = self._next
            self._next += 1
        return token

    def _keep(self, name: str, token: int, value: Any, size: int) -> None:
        with self._lock:
            self.computed[name] += 1
            if token in self._results:
                return
            self._results[token] = (value, size)
            self._used += size
            while self._used > self.budget and len(self._results) > 1:
                _, (_, dropped) = self._results.popitem(last=False)
                self._used -= dropped
