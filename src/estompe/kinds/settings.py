"""A setting's meaning, stated once in its type: label, unit, limits, help, editor and what it refers to.

Fields in the window, checks, the JSON schema and the reference are made from it.
"""

import types
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from msgspec import Meta, Struct

from estompe.kinds.numbers import Keyed

ValueType = Literal["number", "real", "triple", "reals", "whole", "choice", "flag", "text", "parts"]
"""What a setting holds: a number that can be keyed, a plain one, three of either, an integer, a word, and so on."""


def setting(
    label: str,
    text: str,
    *,
    unit: str = "",
    low: float | None = None,
    high: float | None = None,
    step: float | None = None,
    refers: str = "",
    editor: str = "",
    folded: bool = False,
    when: tuple[str, tuple[Any, ...]] | None = None,
) -> Meta:
    """The meaning of a setting, for `Annotated`.

    Parameters
    ----------
    label, text : str
        The name in the window, and one sentence of help.
    unit : str
        One of `estompe.kinds.units.UNITS`; "" for none. A "fraction" is 0..1 and shown as per cent; "display" is linear light
        that people see and type as display values in per cent.
    low, high : float, optional
        Limits, checked where a file or the interface enters.
    step : float, optional
        One notch of a drag.
    refers : str
        The family of what the setting names by id: see `estompe.document.references`.
    editor : str
        The field that edits it, where its type does not say: see `estompe.kinds.editors`; "hidden" for none.
    folded : bool
        Whether it stands behind the fold of its card, since it is rarely tuned.
    when : (str, tuple), optional
        Another setting and the values of it for which this one applies; it is not shown for others.
    """
    extra = {
        "unit": unit, "low": low, "high": high, "step": step, "refers": refers, "editor": editor, "folded": folded,
        "when": when,
    }  # fmt: skip
    return Meta(title=label, description=text, extra=extra)


def whole(label: str, text: str, *, low: int, high: int, **more: Any) -> Meta:
    """The meaning of an integer, whose limits msgspec checks too. The parameters are those of `setting`."""
    meta = setting(label, text, low=low, high=high, **more)
    return Meta(title=label, description=text, extra=meta.extra, ge=low, le=high)


BRIGHTEST = 64.0
"""The most light of a colour; white paper is 1."""


def rgb(label: str, text: str, **more: Any) -> Meta:
    """The meaning of three numbers that are a colour, in linear light. The other parameters are those of `setting`."""
    return setting(label, text, unit="display", low=0.0, high=BRIGHTEST, step=0.01, editor="color", **more)


class Setting(Struct, frozen=True):
    """What a panel, the command line or the reference needs to know of one field."""

    name: str
    label: str
    text: str
    type: ValueType
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float | None = None
    choices: tuple[str, ...] = ()
    optional: bool = False
    refers: str = ""
    editor: str = ""
    folded: bool = False
    when: tuple[str, tuple[Any, ...]] | None = None

    def applies(self, struct: Any) -> bool:
        """Whether the setting has an effect, given the struct's other settings."""
        return self.when is None or getattr(struct, self.when[0]) in self.when[1]

    def part(self, index: int) -> str:
        """What one of its three numbers is called."""
        return (("red", "green", "blue") if self.editor == "color" else ("X", "Y", "Z"))[index]


_SETTINGS: dict[type, tuple[Setting, ...]] = {}


def settings_of(struct: Any) -> tuple[Setting, ...]:
    """The settings of a struct type in the order they are declared; fields without a meaning are left out."""
    if struct not in _SETTINGS:
        hints = get_type_hints(struct, include_extras=True)
        found = (_setting(name, hints[name]) for name in struct.__struct_fields__)
        _SETTINGS[struct] = tuple(item for item in found if item is not None)
    return _SETTINGS[struct]


def setting_named(struct: Any, name: str) -> Setting | None:
    """The setting of a struct type that is its field of a name, if that has a meaning."""
    return next((item for item in settings_of(struct) if item.name == name), None)


def _setting(name: str, hint: Any) -> Setting | None:
    if get_origin(hint) is not Annotated:
        return None
    inner, *rest = get_args(hint)
    meta = next((item for item in rest if isinstance(item, Meta) and item.title), None)
    if meta is None:
        return None
    return Setting(
        name=name,
        label=meta.title or name,
        text=meta.description or "",
        type=_type(inner),
        optional=type(None) in get_args(inner),
        choices=tuple(get_args(inner)) if get_origin(inner) is Literal else (),
        **(meta.extra or {}),
    )


def _type(inner: Any) -> ValueType:
    origin = get_origin(inner)
    if origin is Literal:
        return "choice"
    if origin is tuple:
        if len(get_args(inner)) != 3 or Ellipsis in get_args(inner):
            return "parts"
        return "reals" if set(get_args(inner)) == {float} else "triple"
    members = get_args(inner) if origin in (Union, types.UnionType) else (inner,)
    if Keyed in members:
        return "number"
    simple: dict[Any, ValueType] = {bool: "flag", int: "whole", float: "real"}
    return next((simple[member] for member in members if member in simple), "text")
