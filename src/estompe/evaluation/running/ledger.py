"""Bytes that are really owned: arrays shared by many results count once."""

import threading
import weakref
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from itertools import count
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
    """Counts the arrays of what is entered, each once however many entries hold it, for as long as it lives.

    No array is held. One that dies while its entry stays, such as what a `Derived` let go of, counts no more.
    """

    def __init__(self) -> None:
        self._entries: dict[object, list[int]] = {}
        self._numbers: dict[int, int] = {}
        self._living: dict[int, _Living] = {}
        self._next = count()
        self._lock = threading.RLock()
        self.total = 0

    def enter(self, key: object, value: Any) -> None:
        """Count the arrays of a value, under a key by which it is taken out again."""
        self.remove(key)
        with self._lock:
            self._entries[key] = [self._held(_owner(array)) for array in arrays_of(value)]

    def remove(self, key: object) -> None:
        """No longer count what was entered under a key."""
        with self._lock:
            for number in self._entries.pop(key, ()):
                living = self._living.get(number)
                if living is not None:
                    living.holders -= 1
                    if not living.holders:
                        self._forget(number)

    def _held(self, array: NDArray[Any]) -> int:
        """The number of an array, which one more entry holds."""
        number = self._numbers.get(id(array))
        if number is None:
            number = self._numbers[id(array)] = next(self._next)
            died = partial(self._died, number)
            self._living[number] = _Living(weakref.ref(array, died), id(array), array.nbytes, 0)
            self.total += array.nbytes
        self._living[number].holders += 1
        return number

    def _died(self, number: int, _reference: object) -> None:
        with self._lock:
            self._forget(number)

    def _forget(self, number: int) -> None:
        living = self._living.pop(number, None)
        if living is not None:
            self._numbers.pop(living.identity, None)
            self.total -= living.size


@dataclass
class _Living:
    """An array that is counted: identity: its `id` while it lives; holders: how many entries hold it."""

    reference: "weakref.ref[NDArray[Any]]"
    identity: int
    size: int
    holders: int


def _owner(array: NDArray[Any]) -> NDArray[Any]:
    """The array whose memory a view shows: views are often made for the moment."""
    while isinstance(array.base, np.ndarray):
        array = array.base
    return array
