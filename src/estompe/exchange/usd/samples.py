"""Time samples of attributes: set only where values change, and names that USD allows."""

from typing import Any

import numpy as np
from numpy.typing import NDArray


def identifier(name: str, taken: set[str]) -> str:
    from pxr import Tf

    stem = Tf.MakeValidIdentifier(name)
    found, number = stem, 2
    while found in taken:
        found, number = f"{stem}_{number}", number + 1
    taken.add(found)
    return str(found)


class TimeSamples:
    """Sets attributes over time; what stays the same from frame to frame is written once."""

    def __init__(self) -> None:
        self._last: dict[str, tuple[Any, float, float]] = {}
        self._held: dict[str, tuple[Any, Any, float, float]] = {}

    def changing(self, key: str, array: NDArray[Any], number: float, attribute: Any, kind: Any) -> bool:
        """Set a time sample unless the values are those before; True if it was set.

        Elements are blended in between, so the last frame of a standstill is set too once the array changes.
        """
        before = self._last.get(key)
        if before is not None and (before[0] is array or np.array_equal(before[0], array)):
            self._last[key] = (array, before[1], number)
            return False
        if before is not None and before[2] > before[1]:
            attribute.Set(kind.FromNumpy(before[0]), before[2])
        self._last[key] = (array, number, number)
        attribute.Set(kind.FromNumpy(array), number)
        return True

    def steady(self, key: str, owner: Any, values: Any, number: float, attribute: Any) -> None:
        """Set values that mostly stay: without a time at first, and as time samples from the first change on.

        owner: what tells by identity that they did not change; other owners may still have the same values.
        """
        if key not in self._held:
            attribute.Set(values)
            self._held[key] = (owner, values, number, number)
            return
        before, held, since, until = self._held[key]
        if before is owner or held == values:
            self._held[key] = (owner, held, since, number)
            return
        for frame in {since, until}:
            attribute.Set(held, frame)
        attribute.Set(values, number)
        self._held[key] = (owner, values, number, number)
