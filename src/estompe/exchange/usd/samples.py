"""Time samples of attributes: set only where values change, and names that USD allows."""

from collections.abc import Callable
from operator import eq
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import strength_name
from estompe.document.names import untaken
from estompe.document.scene import Falloff


def identifier(name: str, taken: set[str]) -> str:
    from pxr import Tf

    found = untaken(str(Tf.MakeValidIdentifier(name)), taken, "_")
    taken.add(found)
    return found


class StrengthNames:
    """What the strengths of falloffs are called on one prim: by their names, each its own."""

    def __init__(self) -> None:
        self._names: dict[str, str] = {}
        self._taken: set[str] = set()

    def of(self, falloff: Falloff) -> str:
        """The name of a falloff's primvar."""
        if falloff.id not in self._names:
            self._names[falloff.id] = strength_name(falloff.name, self._taken)
            self._taken.add(self._names[falloff.id])
        return self._names[falloff.id]


class TimeSamples:
    """Sets attributes over time; values that do not change are written once."""

    def __init__(self) -> None:
        self._last: dict[str, tuple[Any, float, float]] = {}
        self._held: dict[str, tuple[Any, Any, float, float]] = {}

    def changing(self, key: str, array: NDArray[Any], number: float, attribute: Any, kind: Any) -> bool:
        """Set a time sample of an array unless its values are those before; True if it was set. kind: of the USD array."""
        return self.follow(key, array, number, attribute, kind.FromNumpy, same_array)

    def follow(
        self,
        key: str,
        value: Any,
        number: float,
        attribute: Any,
        as_usd: Callable[[Any], Any] | None = None,
        same: Callable[[Any, Any], bool] = eq,
    ) -> bool:
        """Set a time sample unless the value is the one before; True if it was set. as_usd: makes USD's values of ours.

        Elements are blended in between, so the last frame of a standstill is set too once the value changes.
        """
        before = self._last.get(key)
        if before is not None and (before[0] is value or same(before[0], value)):
            self._last[key] = (value, before[1], number)
            return False
        if before is not None and before[2] > before[1]:
            attribute.Set(before[0] if as_usd is None else as_usd(before[0]), before[2])
        self._last[key] = (value, number, number)
        attribute.Set(value if as_usd is None else as_usd(value), number)
        return True

    def has(self, key: str) -> bool:
        """Whether anything was set under a key by `steady`."""
        return key in self._held

    def steady(self, key: str, owner: Any, make: Callable[[], Any], number: float, attribute: Any) -> None:
        """Set values that mostly stay: without a time at first, and as time samples from the first change on.

        owner: what tells by identity that they did not change; other owners may still have the same values. make: gives them.
        """
        if key not in self._held:
            values = make()
            attribute.Set(values)
            self._held[key] = (owner, values, number, number)
            return
        before, held, since, until = self._held[key]
        if before is owner:
            self._held[key] = (owner, held, since, number)
            return
        values = make()
        if held == values:
            self._held[key] = (owner, held, since, number)
            return
        for frame in {since, until}:
            attribute.Set(held, frame)
        attribute.Set(values, number)
        self._held[key] = (owner, values, number, number)


def same_array(a: NDArray[Any], b: NDArray[Any]) -> bool:
    """Whether two arrays have the same values."""
    return bool(np.array_equal(a, b))


class Velocities:
    """Velocities of copies, each written when the frame after it is known.

    They are units per second by central differences, one-sided at either end and where copies come or go.
    """

    def __init__(self, attribute: Any, per_second: float) -> None:
        self._attribute, self._per_second = attribute, per_second
        self._samples = TimeSamples()
        self._places: list[tuple[float, NDArray[Any], NDArray[Any]]] = []

    def add(self, number: float, positions: NDArray[Any], ids: NDArray[Any]) -> None:
        """Take down where copies are at a time code, and write the velocities of the one before."""
        self._places.append((number, positions, ids))
        if len(self._places) == 2:
            self._write(0)
        elif len(self._places) == 3:
            self._write(1)
            self._places.pop(0)

    def finish(self) -> None:
        """Write the velocities of the last frame."""
        if self._places:
            self._write(len(self._places) - 1)

    def _write(self, index: int) -> None:
        from pxr import Vt

        number, positions, ids = self._places[index]
        ends = [self._places[side] for side in (index - 1, index + 1) if 0 <= side < len(self._places)]
        near = [end for end in ends if np.array_equal(end[2], ids)]
        near = [*near, self._places[index]] if len(near) < 2 else near
        first, last = min(near, key=_time), max(near, key=_time)
        rate = self._per_second / max(last[0] - first[0], 1e-9)
        made = np.ascontiguousarray((last[1] - first[1]) * np.float32(rate), np.float32)
        del positions
        self._samples.changing("velocities", made, number, self._attribute, Vt.Vec3fArray)


def _time(place: tuple[float, NDArray[Any], NDArray[Any]]) -> float:
    return place[0]
