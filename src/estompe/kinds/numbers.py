"""Numbers that are fixed or keyed, and turning a struct of them into plain floats for one frame."""

from bisect import bisect_right
from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, Literal, NamedTuple, TypeVar

import msgspec
from msgspec import Meta, Struct
from msgspec.structs import astuple

from estompe.kinds.curve import Cubic, Interpolation, cubics
from estompe.kinds.identity_cache import IdentityCache
from estompe.kinds.part import Part

Item = TypeVar("Item")


class Key(Part):
    """A value on a frame, and how it goes on to the next key."""

    frame: Annotated[float, Meta(ge=-1e6, le=1e6)]
    value: float
    interpolation: Interpolation = "smooth"
    slope_in: float | None = None
    """Value per frame on the way into the key; None where the curve finds its own."""
    slope_out: float | None = None


Outside = Literal["hold", "loop", "continue"]
LARGEST = 1e12
"""No number of a scene is larger to either side: float32 still has room for its cube."""


class Keyed(Part, tag="keyed", tag_field="kind"):
    """A number that follows its keys, in ascending frames.

    before, after: what it does outside of them: hold the first or last value, loop the keys, or continue straight on.
    """

    keys: Annotated[tuple[Key, ...], Meta(min_length=1, max_length=100_000)]
    before: Outside = "hold"
    after: Outside = "hold"

    def at(self, frame: float) -> float:
        """The value on a frame, which may lie between whole ones."""
        return _curve(self).at(frame)

    def integral(self, begin: float, end: float) -> float:
        """The integral over frames, exact: the curve is made of cubics."""
        curve = _curve(self)
        return curve.integral_to(end) - curve.integral_to(begin)


class KeyCurve:
    """The curve through a number's keys. Each piece of it is computed when it is first asked for."""

    def __init__(self, number: Keyed) -> None:
        self._number = number
        self._frames = [key.frame for key in number.keys]
        self._pieces: dict[int, Cubic] = {}

    def at(self, frame: float) -> float:
        """The value on a frame."""
        number, frames = self._number, self._frames
        first, last = frames[0], frames[-1]
        outside = number.before if frame < first else number.after if frame > last else "hold"
        if outside == "loop" and last > first:
            frame = first + (frame - first) % (last - first)
        if outside == "continue" and len(frames) > 1:
            return self._straight_on(frame)
        index = bisect_right(frames, frame) - 1
        if index < 0:
            return number.keys[0].value
        a, b, c, d = self._piece(index)
        u = frame - frames[index]
        return ((d * u + c) * u + b) * u + a

    def integral_to(self, frame: float) -> float:
        """The integral from the first key to a frame, in values times frames; negative before it."""
        number, frames = self._number, self._frames
        first, last = frames[0], frames[-1]
        if frame < first:
            return self._before(first - frame)
        if frame <= last:
            return self._within(frame)
        beyond, whole = frame - last, self._within(last)
        if number.after == "loop" and last > first:
            rounds, rest = divmod(frame - first, last - first)
            return rounds * whole + self._within(first + rest)
        slope = self._straight_on(last + 1.0) - number.keys[-1].value if self._goes_on(number.after) else 0.0
        return whole + beyond * (number.keys[-1].value + 0.5 * slope * beyond)

    def _before(self, away: float) -> float:
        number, first, last = self._number, self._frames[0], self._frames[-1]
        if number.before == "loop" and last > first:
            rounds, rest = divmod(-away, last - first)
            return rounds * self._within(last) + self._within(first + rest)
        slope = number.keys[0].value - self._straight_on(first - 1.0) if self._goes_on(number.before) else 0.0
        return -away * (number.keys[0].value - 0.5 * slope * away)

    def _goes_on(self, outside: Outside) -> bool:
        return outside == "continue" and len(self._frames) > 1

    def _within(self, frame: float) -> float:
        """The integral from the first key to a frame among the keys."""
        total, frames = 0.0, self._frames
        for index, begin in enumerate(frames):
            if begin >= frame:
                break
            end = frames[index + 1] if index + 1 < len(frames) else frame
            u = min(frame, end) - begin
            a, b, c, d = self._piece(index)
            total += (((d / 4.0 * u + c / 3.0) * u + b / 2.0) * u + a) * u
        return total

    def _piece(self, index: int) -> Cubic:
        if index not in self._pieces:
            # Slopes look one key past each end of the piece, so four keys decide it.
            first = max(0, index - 1)
            near = self._number.keys[first : index + 3]
            tangents = [(key.slope_in, key.slope_out) for key in near]
            made = cubics([k.frame for k in near], [k.value for k in near], [k.interpolation for k in near], tangents)
            self._pieces[index] = made[index - first]
        return self._pieces[index]

    def _straight_on(self, frame: float) -> float:
        keys = self._number.keys
        if frame < keys[0].frame:
            return keys[0].value + (frame - keys[0].frame) * self._piece(0)[1]
        key = keys[-1]
        _, b, c, d = self._piece(len(keys) - 2)
        width = key.frame - keys[-2].frame
        return key.value + (frame - key.frame) * (b + (2 * c + 3 * d * width) * width)


_CURVES: IdentityCache[KeyCurve] = IdentityCache()


def _curve(number: Keyed) -> KeyCurve:
    return _CURVES.get(number) or _CURVES.put(number, KeyCurve(number))


class Formula(Part, tag="formula", tag_field="kind"):
    """A number computed from others, such as `Elbow.rotation.x / 90`."""

    text: Annotated[str, Meta(max_length=1000)]


Number = float | Keyed | Formula
Triple = tuple[Number, Number, Number]


def value_at(number: Number, frame: float) -> float:
    """The value of a fixed or keyed number on a frame. Raises TypeError for a formula, which needs its scene."""
    return number.at(frame) if isinstance(number, Keyed) else plain(number)


def plain(number: Number) -> float:
    """A number of a resolved struct. Raises TypeError if it was not resolved."""
    if type(number) is float:  # nearly always, and every frame asks for hundreds
        return number
    if isinstance(number, Keyed | Formula):
        raise TypeError("this number still has keys or a formula: resolve its scene for a frame first")
    return float(number)


def plain_triple(triple: Triple) -> tuple[float, float, float]:
    """Three numbers of a resolved struct. Raises TypeError if one was not resolved."""
    return plain(triple[0]), plain(triple[1]), plain(triple[2])


Course = Callable[[float], Any]
"""A part of a scene as it is on a frame."""


class Moving(NamedTuple):
    """How a part of a scene with keyed numbers follows the frame, None without any; and whether it has formulas."""

    course: Course | None
    formulas: bool


_STILL, _FORMULA = Moving(None, False), Moving(None, True)
_MOVING: IdentityCache[Moving] = IdentityCache()
_CAN_MOVE = (tuple, Struct)


def moving(item: Any) -> Moving:
    """What kinds of numbers a part has. Known parts are not walked again: structs and tuples never change."""
    known = _MOVING.get(item)
    if known is not None:
        return known
    if isinstance(item, Keyed):
        return _MOVING.put(item, Moving(_curve(item).at, False))
    if isinstance(item, Formula):
        return _FORMULA
    return _MOVING.put(item, _walked(item)) if isinstance(item, _CAN_MOVE) else _STILL


def _walked(item: Any) -> Moving:
    whole = isinstance(item, tuple)
    courses: list[tuple[Any, Course]] = []
    formulas = False
    for place, part in enumerate(item if whole else astuple(item)):
        if isinstance(part, _CAN_MOVE):
            own = moving(part)
            formulas = formulas or own.formulas
            if own.course is not None:
                courses.append((place if whole else item.__struct_fields__[place], own.course))
    if not courses:
        return _FORMULA if formulas else _STILL
    return Moving(partial(_tuple_on if whole else _struct_on, item, courses), formulas)


def resolve(item: Item, frame: float) -> Item:
    """The same struct with plain floats for its keyed numbers; parts without keys are shared, so they compare equal by `is`.

    Formulas stay: `estompe.document.resolving` works them out.
    """
    course = moving(item).course
    return item if course is None else course(frame)  # type: ignore[no-any-return]


def _tuple_on(item: tuple[Any, ...], places: list[tuple[int, Course]], frame: float) -> tuple[Any, ...]:
    parts = list(item)
    for place, course in places:
        parts[place] = course(frame)
    return tuple(parts)


def _struct_on(item: Struct, fields: list[tuple[str, Course]], frame: float) -> Struct:
    return msgspec.structs.replace(item, **{name: course(frame) for name, course in fields})


def with_key(number: Number, frame: float, value: float, interpolation: Interpolation = "smooth") -> Keyed:
    """The number with a key on the frame; a key that stands there already keeps how it goes on."""
    keys = number.keys if isinstance(number, Keyed) else ()
    standing = next((key for key in keys if key.frame == frame), None)
    new = Key(frame, value, interpolation)
    if standing:
        new = msgspec.structs.replace(standing, value=value)
    sorted_keys = tuple(sorted([*(key for key in keys if key is not standing), new], key=lambda key: key.frame))
    return msgspec.structs.replace(number, keys=sorted_keys) if isinstance(number, Keyed) else Keyed(sorted_keys)


def without_keys(number: Keyed, frames: set[float]) -> Number:
    """The number without the keys on these frames; fixed at its first value once none is left."""
    kept = tuple(key for key in number.keys if key.frame not in frames)
    return msgspec.structs.replace(number, keys=kept) if kept else number.keys[0].value


def with_moved_keys(number: Keyed, frames: set[float], by: float, copy: bool = False) -> Keyed:
    """The keys on these frames moved, or copied, by some frames; keys they land on give way."""
    moved = {
        key.frame + by: msgspec.structs.replace(key, frame=key.frame + by) for key in number.keys if key.frame in frames
    }
    kept = {key.frame: key for key in number.keys if copy or key.frame not in frames}
    keys = tuple(sorted({**kept, **moved}.values(), key=lambda key: key.frame))
    return msgspec.structs.replace(number, keys=keys)
