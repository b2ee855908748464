"""Where kinds register themselves and are found by their tags; built-in ones use the same door as a plug-in."""

from abc import ABC
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, TypeAlias, TypeVar

import msgspec

from estompe.kinds.kind import Effect, Kind, ShapeSource, Source
from estompe.kinds.rules import place_of, problem_of
from estompe.kinds.unknown_kind import UnknownKind
from estompe.registered import load_kinds

if TYPE_CHECKING:
    AnySource: TypeAlias = Source
    AnyEffect: TypeAlias = Effect
    AnyShapeSource: TypeAlias = ShapeSource
else:
    # Types of fields that take any registered kind. They are no structs, so msgspec leaves decoding to `decode_kind`.
    class AnySource(ABC): ...  # noqa: B024

    class AnyEffect(ABC): ...  # noqa: B024

    class AnyShapeSource(ABC): ...  # noqa: B024

    for _field, _family in ((AnySource, Source), (AnyEffect, Effect), (AnyShapeSource, ShapeSource)):
        _field.register(_family)
        _field.register(UnknownKind)


_FIELDS: dict[Any, type[Kind]] = {AnySource: Source, AnyEffect: Effect, AnyShapeSource: ShapeSource}
FAMILIES: tuple[type[Kind], ...] = (Source, Effect, ShapeSource)
_KINDS: dict[type[Kind], dict[str, type[Kind]]] = {family: {} for family in FAMILIES}
Registered = TypeVar("Registered", bound=type[Kind])


def register(kind: Registered) -> Registered:
    """Make a kind known under its tag. Raises ValueError, naming the kind, for one that breaks a rule."""
    family = next((item for item in FAMILIES if issubclass(kind, item)), None)
    if family is None:
        raise ValueError(f"{kind.__name__}: a kind is a Source, an Effect or a ShapeSource")
    problem = problem_of(kind) or _taken(kind, family)
    if problem:
        raise ValueError(f"{kind.__module__}.{kind.__name__} ({place_of(kind)}): {problem}")
    there = _KINDS[family]
    there[tag_of(kind)] = kind
    # In one order whatever was imported first: built-in ones by their files, then those of plug-ins.
    ordered = sorted(
        there.items(), key=lambda item: (not item[1].__module__.startswith("estompe."), item[1].__module__)
    )
    there.clear()
    there.update(ordered)
    return kind


def _taken(kind: type[Kind], family: type[Kind]) -> str:
    tag = tag_of(kind)
    if tag not in _KINDS[family]:
        return ""
    return f"the tag “{tag}” is taken; a plug-in puts its name before it, such as “acme:{tag}”"


def tag_of(kind: Any) -> str:
    """The tag of a kind, or of an instance of one."""
    return kind.tag if isinstance(kind, UnknownKind) else str(kind.__struct_config__.tag)


def kinds(family: type[Kind]) -> Mapping[str, Any]:
    """The registered kinds of a family (`Source`, `Effect` or `ShapeSource`) by tag.

    Built-in kinds and plug-ins are loaded when kinds are first asked for.
    """
    load_kinds()
    return _KINDS[family]


def family_of(field: Any) -> type[Kind]:
    """The family whose kinds a field of this type takes. Raises NotImplementedError for another type, as msgspec wants it."""
    if field not in _FIELDS:
        raise NotImplementedError(f"{field} is not a family of kinds")
    return _FIELDS[field]


def decode_kind(expected: type, value: Any) -> Any:
    """msgspec's hook for fields that take any kind. Raises ValueError with the place inside the kind."""
    family = family_of(expected)
    if not isinstance(value, dict):
        raise ValueError(f"Expected `object`, got `{type(value).__name__}`")
    tag = value.get("kind")
    if not isinstance(tag, str) or not 0 < len(tag) <= 200:
        raise ValueError("Object missing required field `kind`")
    kind = kinds(family).get(tag)
    if kind is None:
        return UnknownKind(tag, value)
    try:
        return msgspec.convert(value, kind, dec_hook=decode_kind)
    except msgspec.ValidationError as error:
        raise ValueError(str(error)) from None  # msgspec adds the outer place to a ValueError only


def encode_kind(value: Any) -> Any:
    """msgspec's hook for values it cannot encode: an unknown kind is written as it was read."""
    if isinstance(value, UnknownKind):
        return value.raw
    raise NotImplementedError(f"{type(value)} cannot be written")
