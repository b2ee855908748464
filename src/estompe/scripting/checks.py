"""Checks of what scripts give: names of settings, types of values, and words about what does not fit."""

import re
from collections.abc import Mapping
from typing import Any, TypeVar

import numpy as np
from msgspec import convert, structs, to_builtins

from estompe.kinds.numbers import Triple
from estompe.kinds.registry import decode_kind, encode_kind
from estompe.scripting.values import ScriptError, unknown

Given = TypeVar("Given")
_WORDS = {
    "float | object": "a number, keys or a formula", "float": "a number", "int": "a whole number", "str": "text",
    "bool": "True or False", "array": "a list", "object": "keys, a formula or settings",
}  # fmt: skip


def with_names(struct: type[Given], settings: Mapping[str, Any]) -> Given:
    """Make a kind with settings by name. Raises ScriptError for a name that it does not have."""
    check_names(struct, settings)
    try:
        return struct(**settings)
    except TypeError as error:
        raise ScriptError(f"{struct.__name__}: {error}") from None


def with_settings(part: Given, settings: Mapping[str, Any]) -> Given:
    """Change settings of a part by name. Raises ScriptError for a name that it does not have."""
    check_names(type(part), settings)
    return structs.replace(part, **settings)  # type: ignore[type-var]


def check_names(struct: type, settings: Mapping[str, Any]) -> None:
    """Raise ScriptError for the first name that is no setting of a kind, with the settings that it has."""
    there = struct.__struct_fields__  # type: ignore[attr-defined]
    for name in settings:
        if name not in there:
            raise unknown(f"setting of {struct.__name__}", name, there)


def plain(item: Any) -> Any:
    """A value with plain ids in place of handles."""
    if isinstance(item, str) and type(item) is not str:
        return str.__str__(item)
    if isinstance(item, tuple | list):
        return tuple(plain(part) for part in item)
    if hasattr(item, "__struct_fields__"):
        changes = {name: plain(getattr(item, name)) for name in item.__struct_fields__}
        changed = {name: value for name, value in changes.items() if value is not getattr(item, name)}
        return structs.replace(item, **changed) if changed else item
    if isinstance(item, np.generic):
        return item.item()
    return item


def checked(part: Any, kind: type) -> Any:
    """Check the types of a part against those of scenes, and return it. Raises MsgspecError."""
    return convert(to_builtins(part, enc_hook=encode_kind), kind, dec_hook=decode_kind)


def triple(name: str, value: Any) -> Triple:
    try:
        x, y, z = (plain(part) for part in value)
    except (TypeError, ValueError):
        raise ScriptError(f"{name} is three numbers X Y Z, not {value!r}") from None
    return tuple(float(part) if isinstance(part, int) else part for part in (x, y, z))  # type: ignore[return-value]


def in_words(text: str) -> str:
    """The words of a failed conversion for a person: what was expected where, and what was given."""
    match = re.match(r"Expected (.*), got `(\w+)`(?: - at `\$?\.?([^`]*)`)?(?: - at `\$?\.?([^`]*)`)?", text)
    if match is None:
        return text.replace("`$.", "`")
    wanted, given, *places = match.groups()
    place = ".".join(part for part in reversed(places) if part)
    for words, plain in _WORDS.items():
        wanted = wanted.replace(words, plain)
    return f"{place or 'it'} takes {wanted.replace('`', '')}, not {_WORDS.get(given, given)}"


def described(value: object) -> str:
    return f"{type(value).__name__} {value!r}"[:80]
