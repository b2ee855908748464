"""Renaming things without breaking the formulas that name them."""

from typing import Any

from msgspec import Struct, structs

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.formula import FormulaError, nodes_of, parse
from estompe.document.naming import path_of, spoken
from estompe.document.scene import Scene
from estompe.kinds.numbers import Formula
from estompe.kinds.settings import settings_of


def rename(scene: Scene, path: ScenePath, name: str) -> Scene:
    """The scene with one thing renamed, and every formula still naming what it named before.

    A name that something else has gets a number, so that names stay unique.
    """
    own = edits.get(scene, path).name
    others = edits.names_of(scene)
    if own in others:
        others.remove(own)
    renamed: Scene = edits.put(scene, (*path, "name"), edits.fresh_name(others, name))
    made: Scene = _rewritten(renamed, scene, renamed)
    return made


def with_unique_names(scene: Scene) -> Scene:
    """The scene in which the later ones of things with the same name have a number behind it."""
    names = edits.names_of(scene)
    if len(set(names)) == len(names):
        return scene
    fresh = edits.FreshNames((), (scene.camera.name, *(camera.name for camera in scene.other_cameras)))
    for family in ("shapes", "controls", "falloffs"):
        items = []
        for item in getattr(scene, family):
            name = fresh.name(item.name)
            items.append(item if name == item.name else structs.replace(item, name=name))
        scene = structs.replace(scene, **{family: tuple(items)})
    return scene


def _rewritten(item: Any, before: Scene, after: Scene) -> Any:
    """A part of a scene with its formulas rewritten from the names of one scene to those of another."""
    if isinstance(item, Formula):
        text = rewritten_text(item.text, before, after)
        return item if text == item.text else Formula(text)
    if isinstance(item, tuple):
        parts = tuple(_rewritten(part, before, after) for part in item)
        return item if all(a is b for a, b in zip(parts, item, strict=True)) else parts
    if not isinstance(item, Struct):
        return item
    texts = {rule.name for rule in settings_of(type(item)) if rule.editor == "formula"}
    changes = {}
    for name in item.__struct_fields__:
        value = getattr(item, name)
        new = rewritten_text(value, before, after) if name in texts else _rewritten(value, before, after)
        if new is not value and new != value:
            changes[name] = new
    return structs.replace(item, **changes) if changes else item


def rewritten_text(text: str, before: Scene, after: Scene) -> str:
    """A formula in which each name stands for what it stood for in the scene before."""
    try:
        names = [node for node in nodes_of(parse(text)) if node.what == "name"]
    except FormulaError:
        return text
    for node in sorted(names, key=lambda node: -node.begin):
        path = _resolved(before, node.parts)
        if path is not None and _resolved(after, node.parts) != path and edits.exists(after, path):
            text = text[: node.begin] + spoken(after, path) + text[node.end :]
    return text


def _resolved(scene: Scene, parts: tuple[str, ...]) -> ScenePath | None:
    try:
        return path_of(scene, parts)
    except LookupError:
        return None
