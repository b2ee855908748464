"""What a scene must be beyond the types of its parts: unique ids, limits of keyed numbers, ascending keys, lengths."""

import itertools
import math
from collections.abc import Iterator
from functools import cache
from typing import Any

import msgspec
from msgspec import Struct

from estompe.document.formula import FormulaError, parse
from estompe.document.names import clean_name, is_clean
from estompe.document.scene import Scene
from estompe.kinds.kind import Kind
from estompe.kinds.numbers import LARGEST, Formula, Keyed
from estompe.kinds.settings import Setting, settings_of


class SceneError(ValueError):
    """A scene that cannot be used; the text says what is wrong and where."""


def check(scene: Scene) -> None:
    """Raise SceneError for the first thing that is wrong, with its place."""
    if scene.last < scene.first:
        raise SceneError(f"the last frame ({scene.last}) is before the first ({scene.first}) - at `$.last`")
    _check_ids(scene)
    _check_part(scene, "$", None)


def check_change(scene: Scene, before: Scene) -> None:
    """Like `check`, but only for the parts that differ from `before`, which is known to be valid.

    Raises SceneError without a place: whoever edits sees it.
    """
    try:
        if scene.shapes is not before.shapes or scene.falloffs is not before.falloffs:
            _check_ids(scene)
        _check_part(scene, "$", before)
    except SceneError as error:
        raise SceneError(str(error).split(" - at ")[0]) from None


def check_number(value: float, rule: Setting) -> None:
    """Raise SceneError for a value that is not finite or is outside the setting's limits."""
    if not is_sound(value):
        what = f"is too large: at most {LARGEST:g}" if math.isfinite(value) else "must be a finite number"
        raise SceneError(f"{rule.label} {what}")
    if rule.low is not None and value < rule.low:
        raise SceneError(f"{rule.label} must be at least {rule.low:g}, not {value:g}")
    if rule.high is not None and value > rule.high:
        raise SceneError(f"{rule.label} must be at most {rule.high:g}, not {value:g}")


def is_sound(value: float) -> bool:
    """Whether a number is finite and not larger than a scene may hold."""
    return math.isfinite(value) and abs(value) <= LARGEST


def identified(scene: Scene) -> Iterator[tuple[str, Any]]:
    """Everything whose id must be unique in a scene, with its place. What lies inside a kind is the kind's own."""
    for family in ("shapes", "controls", "falloffs"):
        for index, item in enumerate(getattr(scene, family)):
            yield f"$.{family}[{index}]", item
            inner = {"shapes": "effects", "falloffs": "layers"}.get(family)
            for number, part in enumerate(getattr(item, inner) if inner else ()):
                yield f"$.{family}[{index}].{inner}[{number}]", part


def _check_ids(scene: Scene) -> None:
    seen: set[str] = set()
    for where, item in identified(scene):
        if item.id in seen:
            raise SceneError(f"the id “{item.id}” is used twice - at `{where}.id`")
        seen.add(item.id)


def _check_part(item: Any, where: str, before: Any) -> None:
    """Check a part and all below it but what is the very same in the scene before."""
    if item is before:
        return
    if isinstance(item, tuple):
        others = before if isinstance(before, tuple) else ()
        # By identity: what merely stands in another place was sound there.
        known = set(map(id, others))
        for index, part in enumerate(item):
            if id(part) not in known:
                _check_part(part, f"{where}[{index}]", others[index] if index < len(others) else None)
    elif isinstance(item, Keyed):
        _check_keys(item, where)
    elif isinstance(item, Formula):
        _check_formula(item.text, where)
    elif isinstance(item, float) and not is_sound(item):
        raise SceneError(f"a number is not finite or larger than {LARGEST:g} - at `{where}`")
    elif isinstance(item, Struct):
        _check_struct(item, where)
        for name in item.__struct_fields__:
            other = getattr(before, name, None) if type(before) is type(item) else None
            _check_part(getattr(item, name), f"{where}.{name}", other)


def _check_struct(item: Struct, where: str) -> None:
    name = getattr(item, "name", None)
    if isinstance(name, str) and not is_clean(name):
        raise SceneError(f"the name “{clean_name(name)}” holds characters that cannot be used - at `{where}.name`")
    for name, least, most in _lengths(type(item)):
        value = getattr(item, name)
        if value is not None and not least <= len(value) <= most:
            words = f"at most {most:,}" if len(value) > most else f"at least {least}"
            raise SceneError(f"{name.replace('_', ' ')} can be {words} long, not {len(value):,} - at `{where}.{name}`")
    for rule in settings_of(type(item)):
        _check_limits(getattr(item, rule.name), rule, f"{where}.{rule.name}")
    if isinstance(item, Kind):
        try:
            item.check()
        except ValueError as error:
            raise SceneError(f"{error} - at `{where}`") from None


@cache
def _lengths(kind: type[Struct]) -> tuple[tuple[str, int, float], ...]:
    """The fields of a struct whose length has limits: name, least and most."""
    found = []
    for field in msgspec.inspect.type_info(kind).fields:  # type: ignore[attr-defined]
        info = getattr(field.type, "type", field.type)
        for one in getattr(info, "types", (info,)):
            least, most = getattr(one, "min_length", None), getattr(one, "max_length", None)
            if least is not None or most is not None:
                found.append((field.name, least or 0, math.inf if most is None else most))
    return tuple(found)


def _check_formula(text: str, where: str) -> None:
    try:
        parse(text)
    except FormulaError as error:
        raise SceneError(f"the formula “{text[:40]}” cannot be read: {error} - at `{where}`") from None


def _check_keys(number: Keyed, where: str) -> None:
    frames = [key.frame for key in number.keys]
    if any(after <= before for before, after in itertools.pairwise(frames)):
        raise SceneError(f"keys must stand on ascending frames - at `{where}.keys`")
    slopes = [slope for key in number.keys for slope in (key.slope_in, key.slope_out) if slope is not None]
    if not all(is_sound(value) for value in (*slopes, *frames, *(key.value for key in number.keys))):
        raise SceneError(f"a key's value is not finite or larger than {LARGEST:g} - at `{where}.keys`")


def _check_limits(value: Any, rule: Setting, where: str) -> None:
    values = value if isinstance(value, tuple) else (value,)
    for part in values:
        plain = [key.value for key in part.keys] if isinstance(part, Keyed) else [part]
        for number in plain:
            if isinstance(number, int | float) and not isinstance(number, bool):
                try:
                    check_number(number, rule)
                except SceneError as error:
                    raise SceneError(f"{error} - at `{where}`") from None
