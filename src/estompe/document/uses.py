"""Which parts of a scene use which others, by their settings, routes, parents and formulas."""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.formula import FormulaError, names_in, parse
from estompe.document.naming import path_of
from estompe.document.references import REFERENCES, renamed_id
from estompe.document.scene import Scene
from estompe.kinds.numbers import Formula
from estompe.kinds.settings import settings_of

FAMILIES = ("shapes", "controls", "falloffs")
_INNER = {"shapes": "effects", "falloffs": "layers"}


def ids_used(scene: Scene, item: Any) -> set[str]:
    """The ids that a part of a scene names, in what is below it too, also through formulas."""
    return set(_named(scene, item))


def _named(scene: Scene, item: Any) -> Iterator[str]:
    if isinstance(item, Formula):
        yield from _in_formula(scene, item.text)
    elif isinstance(item, tuple):
        for part in item:
            yield from _named(scene, part)
    elif isinstance(item, Struct):
        rules = {rule.name: rule for rule in settings_of(type(item))}
        for name in item.__struct_fields__:
            value, rule = getattr(item, name), rules.get(name)
            if rule is not None and rule.refers in REFERENCES:
                yield from (one for one in (value if isinstance(value, tuple) else (value,)) if one)
            elif rule is not None and rule.editor == "formula":
                yield from _in_formula(scene, value)
            else:
                yield from _named(scene, value)


def _in_formula(scene: Scene, text: str) -> Iterator[str]:
    try:
        names = names_in(parse(text))
    except FormulaError:
        return
    for parts in names:
        try:
            path = path_of(scene, parts)
        except LookupError:
            continue
        if len(path) > 1 and path[0] in FAMILIES:
            yield str(path[1])


def users_of(scene: Scene, wanted: str) -> list[ScenePath]:
    """Find what uses a shape, control or falloff.

    Parameters
    ----------
    scene : Scene
        The scene.
    wanted : str
        The id of the shape, control or falloff.

    Returns
    -------
    list of ScenePath
        The effects, layers, shapes and controls that name it, in the order of the scene. The whole shape, control or falloff is
        given where its own settings, not those of an effect or layer, name it.
    """
    users: list[ScenePath] = []
    for family in FAMILIES:
        inner = _INNER.get(family, "")
        for item in getattr(scene, family):
            if item.id == wanted:
                continue
            own = [getattr(item, name) for name in item.__struct_fields__ if name != inner]
            if wanted in ids_used(scene, tuple(own)):
                users.append((family, item.id))
            parts = getattr(item, inner) if inner else ()
            users += [(family, item.id, inner, part.id) for part in parts if wanted in ids_used(scene, part)]
    return users


def replaced_everywhere(scene: Scene, old: str, new: str) -> Scene:
    """Let everything that names one part by its id name another one, but for that other part itself."""
    for family in FAMILIES:
        for item in getattr(scene, family):
            if item.id not in (old, new):
                scene = edits.put(scene, (family, item.id), renamed_id(item, {old: new}))
    return scene
