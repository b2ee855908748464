"""What settings can name by id: one entry per family, which is all that menus, checks and first values need to know."""

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from msgspec import Struct, structs

from estompe.document.scene import Scene
from estompe.kinds.settings import settings_of


class Candidate(NamedTuple):
    """Something a setting may name: its id, what a person calls it, and the id of what it belongs to."""

    id: str
    name: str
    owner: str


class Reference(NamedTuple):
    """A family: what one of it is called, how it is asked for when there is none, and what there is in a scene."""

    words: str
    ask: str
    candidates: Callable[[Scene], list[Candidate]]


def _items(collection: str) -> Callable[[Scene], list[Candidate]]:
    return lambda scene: [Candidate(item.id, item.name, item.id) for item in getattr(scene, collection)]


def _parents(scene: Scene) -> list[Candidate]:
    return _items("controls")(scene) + _items("shapes")(scene)


def _paths(scene: Scene) -> list[Candidate]:
    return [Candidate(item.id, item.name, item.id) for item in scene.controls if item.form == "path"]


def _winds(scene: Scene) -> list[Candidate]:
    return [Candidate(item.id, item.name, item.id) for item in scene.controls if item.form == "wind"]


def _jointed(scene: Scene) -> list[Candidate]:
    return [
        Candidate(slot.id, f"{shape.name}: {slot.effect.label}", shape.id)
        for shape in scene.shapes
        for slot in shape.effects
        if slot.effect.joints_setting
    ]


REFERENCES: dict[str, Reference] = {
    "control": Reference("control", "a control", _items("controls")),
    "path": Reference("path", "a control of the form path", _paths),
    "wind": Reference("wind", "a wind", _winds),
    "falloff": Reference("falloff", "a second falloff", _items("falloffs")),
    "shape": Reference("shape", "another shape", _items("shapes")),
    "effect": Reference("effect", "a Joints effect", _jointed),
    "parent": Reference("control or shape", "a control or shape", _parents),
}
"""By the name that `setting(refers=...)` uses. `estompe.evaluation.planning.finding.finds` registers what looks them up."""


class Named(NamedTuple):
    """One reference of a kind: the family, the setting and the id."""

    family: str
    setting: str
    id: str


def references_of(kind: Any) -> Iterator[Named]:
    """What a kind's settings name, in order; settings left empty name nothing."""
    for rule in settings_of(type(kind)):
        if rule.refers in REFERENCES:
            value = getattr(kind, rule.name)
            for item in value if isinstance(value, tuple) else (value,):
                if item:
                    yield Named(rule.refers, rule.name, item)


def renamed_id(item: Any, ids: dict[str, str]) -> Any:
    """A part of a scene with other ids wherever its settings and routes name them."""
    if isinstance(item, tuple):
        parts = tuple(renamed_id(part, ids) for part in item)
        return item if all(a is b for a, b in zip(parts, item, strict=True)) else parts
    if not isinstance(item, Struct):
        return item
    named = {rule.name for rule in settings_of(type(item)) if rule.refers in REFERENCES}
    changes = {}
    for name in item.__struct_fields__:
        before = getattr(item, name)
        after = _other_ids(before, ids) if name in named else renamed_id(before, ids)
        if after is not before:
            changes[name] = after
    return structs.replace(item, **changes) if changes else item


def _other_ids(value: Any, ids: dict[str, str]) -> Any:
    if isinstance(value, tuple):
        after = tuple(ids.get(item, item) for item in value)
        return value if after == value else after
    return ids.get(value, value) if isinstance(value, str) else value
