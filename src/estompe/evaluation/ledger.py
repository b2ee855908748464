"""Bytes that are really owned: arrays shared by many results count once."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray


def arrays_of(value: Any) -> Iterator[NDArray[Any]]:
    """The arrays a result keeps alive: an array itself, or what an object lists."""
    if isinstance(value, np.ndarray):
        yield value
    elif hasattr(value, "arrays"):
        yield from value.arrays()


class Ledger:
    """Counts the arrays of what is entered, each once however many entries hold it."""

    def __init__(self) -> None:
        self._entries: dict[object, list[int]] = {}
        self._holders: dict[int, int] = {}
        self._sizes: dict[int, int] = {}
        self.total = 0

    def enter(self, key: object, value: Any) -> None:
        """Count the arrays of a value, under a key by which it is taken out again."""
        self.remove(key)
        held = []
        for array in arrays_of(value):
            number = id(array)
            if number not in self._holders:
                self._holders[number] = 0
                self._sizes[number] = array.nbytes
                self.total += array.nbytes
            self._holders[number] += 1
            held.append(number)
        self._entries[key] = held

    def remove(self, key: object) -> None:
        """No longer count what was entered under a key."""
        for number in self._entries.pop(key, ()):
            self._holders[number] -= 1
            if not self._holders[number]:
                del self._holders[number]
                self.total -= self._sizes.pop(number)
