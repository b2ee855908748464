"""What differs between two scenes, each thing by its path and in words."""

from collections.abc import Iterator
from typing import Any, NamedTuple

from msgspec import Struct

from estompe.document.edits import ScenePath
from estompe.document.scene import Scene
from estompe.kinds.numbers import Formula, Keyed
from estompe.kinds.settings import setting_named

_SILENT = {"transform", "effect", "source", "effects", "layers", "routes", "range"}
_FAMILIES = {"shapes": "shape", "controls": "control", "falloffs": "falloff", "effects": "effect", "layers": "layer"}
_HIDDEN = {"states"}


class Difference(NamedTuple):
    """One thing that differs: its path, what a person calls it, and how it is in either scene, in words."""

    path: ScenePath
    name: str
    before: str
    after: str

    @property
    def words(self) -> str:
        """Such as “Push amount 0.1 → 0.18”."""
        return f"{self.name} {self.before} → {self.after}" if self.before or self.after else self.name


def differences(before: Scene, after: Scene) -> list[Difference]:
    """What differs, in the order of the scene; parts that are the very same are not looked at."""
    return list(_below(before, after, (), ""))


def _below(before: Any, after: Any, path: ScenePath, name: str) -> Iterator[Difference]:
    if before is after or (type(before) is type(after) and before == after):
        return
    if isinstance(before, tuple) and isinstance(after, tuple) and _are_parts(before) and _are_parts(after):
        yield from _parts(before, after, path, name)
    elif isinstance(before, Struct) and type(before) is type(after) and not isinstance(before, Keyed | Formula):
        for field in before.__struct_fields__:
            if field not in _HIDDEN:
                named = _field_name(before, field, name)
                yield from _below(getattr(before, field), getattr(after, field), (*path, field), named)
    else:
        yield Difference(path, name or "scene", in_words(before), in_words(after))


def _are_parts(items: tuple[Any, ...]) -> bool:
    """Whether what is in a tuple is told apart by ids."""
    return all(isinstance(item, Struct) and hasattr(item, "id") for item in items)


def _parts(before: tuple[Any, ...], after: tuple[Any, ...], path: ScenePath, name: str) -> Iterator[Difference]:
    old, new = {item.id: item for item in before}, {item.id: item for item in after}
    kind = _FAMILIES.get(str(path[-1]), "part") if path else "part"
    for key, item in old.items():
        if key not in new:
            yield Difference((*path, key), f"{kind} {_called(item, name)} is gone", "", "")
    for key, item in new.items():
        if key in old:
            yield from _below(old[key], item, (*path, key), _called(item, name))
        else:
            yield Difference((*path, key), f"{kind} {_called(item, name)} is new", "", "")
    kept = [key for key in old if key in new]
    if kept != [key for key in new if key in old]:
        yield Difference(path, f"{name} the order of {path[-1] if path else 'parts'} is another".strip(), "", "")


def _called(item: Any, outer: str) -> str:
    """What a person calls a part: its name, else what it is after the name of what it belongs to."""
    own = getattr(item, "name", "")
    if own:
        return str(own)
    kind = getattr(item, "effect", None) or getattr(item, "source", None)
    label = getattr(kind, "label", "") or str(getattr(item, "id", ""))
    return f"{outer} {label}".strip()


def _field_name(struct: Any, field: str, outer: str) -> str:
    if field in _SILENT:
        return outer
    rule = setting_named(type(struct), field)
    label = field.replace("_", " ") if rule is None else rule.label
    return f"{outer} {label.lower() if outer else label}".strip()


def in_words(value: Any) -> str:
    """A value as a person would write it."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, int | float):
        return f"{value:.6g}"
    if isinstance(value, Keyed):
        return f"{len(value.keys)} keys"
    if isinstance(value, Formula):
        return f"“{value.text}”"
    if isinstance(value, tuple):
        if len(value) <= 4 and all(isinstance(part, int | float | Keyed | Formula) for part in value):
            return " ".join(map(in_words, value))
        return f"{len(value)} points" if value else "none"
    if isinstance(value, Struct):
        return str(getattr(value, "label", "") or getattr(value, "name", "") or type(value).__name__.lower())
    return str(value)


def taken_across(into: Scene, source: Scene, difference: Difference) -> Scene:
    """A scene with one thing as it is in another. Raises LookupError where that cannot be."""
    from estompe.document import edits

    path = difference.path
    try:
        value = edits.get(source, path)
    except edits.EditError:
        removed: Scene = edits.remove(into, path)
        return removed
    if edits.exists(into, path):
        put: Scene = edits.put(into, path, value)
        return put
    inserted: Scene = edits.insert(into, path[:-1], value)
    return inserted
