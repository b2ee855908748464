"""Numbers that are fixed or keyed, and turning a struct of them into plain floats for one frame."""

from bisect import bisect_right
from typing import Annotated, Any, TypeVar

import msgspec
from msgspec import Meta, Struct

from estompe.document.curve import Shape, cubics

Item = TypeVar("Item")
_STRICT: dict[str, Any] = {"frozen": True, "forbid_unknown_fields": True}


class Key(Struct, frozen=True, forbid_unknown_fields=True):
    """A value on a frame, and how it goes on to the next key."""

    frame: Annotated[float, Meta(ge=-1e6, le=1e6)]
    value: float
    shape: Shape = "smooth"


class Keyed(Struct, frozen=True, forbid_unknown_fields=True, tag="keyed", tag_field="kind"):
    """A number that follows its keys, in ascending frames; it holds before the first and after the last."""

    keys: Annotated[tuple[Key, ...], Meta(min_length=1, max_length=100_000)]

    def at(self, frame: float) -> float:
        """The value on a frame, which may lie between whole ones."""
        index = bisect_right(self.keys, frame, key=lambda key: key.frame) - 1
        if index < 0:
            return self.keys[0].value
        # Slopes look one key past each end of the piece, so four keys decide it.
        first = max(0, index - 1)
        near = self.keys[first : index + 3]
        pieces = cubics([key.frame for key in near], [key.value for key in near], [key.shape for key in near])
        a, b, c, d = pieces[index - first]
        u = frame - self.keys[index].frame
        return ((d * u + c) * u + b) * u + a


Number = float | Keyed
Triple = tuple[Number, Number, Number]


def value_at(number: Number, frame: float) -> float:
    """A number's value on a frame."""
    return number.at(frame) if isinstance(number, Keyed) else float(number)


def plain(number: Number) -> float:
    """A number of a resolved struct. Raises TypeError if it was not resolved."""
    if isinstance(number, Keyed):
        raise TypeError("this number still has keys: resolve the struct for a frame first")
    return float(number)


def plain_triple(triple: Triple) -> tuple[float, float, float]:
    """Three numbers of a resolved struct. Raises TypeError if one was not resolved."""
    return plain(triple[0]), plain(triple[1]), plain(triple[2])


def resolve(item: Item, frame: float) -> Item:
    """The same struct with plain floats for its numbers; parts without keys are shared, so they compare equal by `is`."""
    return _resolved(item, frame)  # type: ignore[no-any-return]


def _resolved(item: Any, frame: float) -> Any:
    if isinstance(item, Keyed):
        return item.at(frame)
    if isinstance(item, tuple):
        parts = tuple(_resolved(part, frame) for part in item)
        return item if all(a is b for a, b in zip(parts, item, strict=True)) else parts
    if isinstance(item, Struct):
        changes = {}
        for name in item.__struct_fields__:
            before = getattr(item, name)
            after = _resolved(before, frame)
            if after is not before:
                changes[name] = after
        return msgspec.structs.replace(item, **changes) if changes else item
    return item


def with_key(number: Number, frame: float, value: float, shape: Shape = "smooth") -> Keyed:
    """The number with a key on the frame; a key that stands there already keeps its shape."""
    keys = number.keys if isinstance(number, Keyed) else ()
    standing = next((key for key in keys if key.frame == frame), None)
    new = Key(frame, value, standing.shape if standing else shape)
    return Keyed(tuple(sorted([*(key for key in keys if key is not standing), new], key=lambda key: key.frame)))


def without_keys(number: Keyed, frames: set[float]) -> Number:
    """The number without the keys on these frames; fixed at its first value once none is left."""
    kept = tuple(key for key in number.keys if key.frame not in frames)
    return Keyed(kept) if kept else number.keys[0].value


def with_moved_keys(number: Keyed, frames: set[float], by: float, copy: bool = False) -> Keyed:
    """The keys on these frames moved, or copied, by some frames; keys they land on give way."""
    moved = {
        key.frame + by: msgspec.structs.replace(key, frame=key.frame + by) for key in number.keys if key.frame in frames
    }
    kept = {key.frame: key for key in number.keys if copy or key.frame not in frames}
    return Keyed(tuple(sorted({**kept, **moved}.values(), key=lambda key: key.frame)))
