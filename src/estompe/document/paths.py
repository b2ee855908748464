"""The files a scene refers to: their names are absolute in memory, and relative to the scene in its file."""

from collections.abc import Callable, Iterator
from functools import cache
from typing import Any, TypeVar

from msgspec import Struct, structs

from estompe.kinds.identity_cache import IdentityCache
from estompe.kinds.settings import settings_of
from estompe.kinds.unknown_kind import UnknownKind

Part = TypeVar("Part")
_FILES: IdentityCache[tuple[str, ...]] = IdentityCache()
_PICTURES: IdentityCache[tuple[str, ...]] = IdentityCache()


def files_of(item: Any) -> tuple[str, ...]:
    """The animated files that a part of a scene refers to, each once, in order."""
    return _known_or_found(item, "footage", _FILES)


def pictures_of(item: Any) -> tuple[str, ...]:
    """The pictures that a part of a scene refers to, each once, in order; # stands for a frame's number."""
    return _known_or_found(item, "picture", _PICTURES)


def _known_or_found(item: Any, editor: str, cache: IdentityCache[tuple[str, ...]]) -> tuple[str, ...]:
    known = cache.get(item) if isinstance(item, Struct) else None
    if known is not None:
        return known
    found = tuple(dict.fromkeys(_files(item, editor)))
    return cache.put(item, found) if isinstance(item, Struct) else found


def _files(item: Any, editor: str) -> Iterator[str]:
    if isinstance(item, tuple):
        for part in item:
            yield from _files(part, editor)
    elif isinstance(item, Struct) and not isinstance(item, UnknownKind):
        names = _settings_with(type(item), editor)
        for name in item.__struct_fields__:
            value = getattr(item, name)
            if name in names:
                yield from (value,) if value else ()
            elif isinstance(value, tuple | Struct):
                yield from _files(value, editor)


def with_paths(item: Part, change: Callable[[str], str]) -> Part:
    """A part of a scene with other names of animated files and pictures; what has none is shared."""
    made: Any = item
    if isinstance(item, tuple):
        parts = tuple(with_paths(part, change) for part in item)
        made = item if all(a is b for a, b in zip(parts, item, strict=True)) else parts
    elif isinstance(item, Struct) and not isinstance(item, UnknownKind):
        made = _struct_with(item, change)
    return made  # type: ignore[no-any-return]


def relinked(item: Part, before: str, name: str) -> Part:
    """A part of a scene that reads another file wherever it read one."""
    return with_paths(item, lambda file: name if file == before else file)


def _struct_with(item: Struct, change: Callable[[str], str]) -> Struct:
    names = _settings_with(type(item), "footage", "picture")
    changes: dict[str, Any] = {}
    for name in item.__struct_fields__:
        before = getattr(item, name)
        after = change(before) if name in names and before else before
        if isinstance(before, tuple | Struct):
            after = with_paths(before, change)
        if after is not before and after != before:
            changes[name] = after
    return structs.replace(item, **changes) if changes else item


@cache
def _settings_with(kind: type[Struct], *editors: str) -> frozenset[str]:
    return frozenset(rule.name for rule in settings_of(kind) if rule.editor in editors)
