"""A setting's meaning, said once in its type: label, unit, limits, help. Panels, schema and reference are made from it."""

import types
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from msgspec import Meta, Struct

from estompe.document.numbers import Keyed

Kind = Literal[
    "number", "real", "triple", "whole", "choice", "flag", "text", "formula",
    "control", "controls", "path", "points", "falloff", "shape", "effect", "picture", "attribute",
    "joints", "poses", "mask", "profile", "words", "picked", "hidden",
]  # fmt: skip


def setting(
    label: str,
    text: str,
    *,
    unit: str = "",
    low: float | None = None,
    high: float | None = None,
    step: float | None = None,
    refers: str = "",
) -> Meta:
    """The meaning of a setting, for `Annotated`.

    unit: "length" (scene units), "degrees", "frames", "share" (0..1 shown as per cent), "times", "per second" or none;
    low, high: limits, checked where a file or the interface enters; step: one notch of a drag; refers: what a setting
    names or holds that is not a plain value, such as "control", "shape" or "picture".
    """
    extra = {"unit": unit, "low": low, "high": high, "step": step, "refers": refers}
    return Meta(title=label, description=text, extra=extra)


class Setting(Struct, frozen=True):
    """What a panel, the command line or the reference page needs to know of one field."""

    name: str
    label: str
    text: str
    kind: Kind
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float | None = None
    choices: tuple[str, ...] = ()
    optional: bool = False


_SETTINGS: dict[type, tuple[Setting, ...]] = {}


def settings_of(struct: Any) -> tuple[Setting, ...]:
    """The settings of a struct type, in the order they are declared; fields without a meaning are left out."""
    if struct not in _SETTINGS:
        hints = get_type_hints(struct, include_extras=True)
        found = (_setting(name, hints[name]) for name in struct.__struct_fields__)
        _SETTINGS[struct] = tuple(item for item in found if item is not None)
    return _SETTINGS[struct]


def _setting(name: str, hint: Any) -> Setting | None:
    if get_origin(hint) is not Annotated:
        return None
    inner, *rest = get_args(hint)
    meta = next((item for item in rest if isinstance(item, Meta) and item.title), None)
    if meta is None:
        return None
    extra = dict(meta.extra or {})
    refers = extra.pop("refers", "")
    return Setting(
        name=name,
        label=meta.title or name,
        text=meta.description or "",
        kind=refers or _kind(inner),
        optional=type(None) in get_args(inner),
        choices=tuple(get_args(inner)) if get_origin(inner) is Literal else (),
        **extra,
    )


def _kind(inner: Any) -> Kind:
    origin = get_origin(inner)
    if origin is Literal:
        return "choice"
    if origin is tuple:
        return "triple"
    if origin in (Union, types.UnionType) and Keyed in get_args(inner):
        return "number"
    simple: dict[Any, Kind] = {bool: "flag", int: "whole", str: "text", float: "real"}
    return simple[inner]
