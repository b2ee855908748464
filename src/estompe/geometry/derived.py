"""What is made from something that stays the same: computed once, and the last few results kept with it."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

Made = TypeVar("Made")


class Derived:
    """Results by key, safe to ask from several threads. most: how many are kept."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._made: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """The result for a key, made if it is not there. key: a name, and what else decides the result."""
        with self._lock:
            if key in self._made:
                self._made.move_to_end(key)
                return self._made[key]  # type: ignore[no-any-return]
        made = make()
        with self._lock:
            self._made[key] = made
            while len(self._made) > self._most:
                self._made.popitem(last=False)
        return made

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array that is cached in results, for counting memory."""
        with self._lock:
            made = list(self._made.values())
        for item in made:
            yield from _arrays_in(item)


def _arrays_in(item: Any) -> Iterator[NDArray[Any]]:
    """The arrays of something derived: of an array, a topology, a tuple of such, or an object that lists its own."""
    if isinstance(item, np.ndarray):
        yield item
    elif isinstance(item, tuple):
        for part in item:
            yield from _arrays_in(part)
    elif hasattr(item, "arrays"):
        yield from item.arrays()
