"""Names of numbers in formulas, such as `Lantern.position.x` or `'Lantern glow'.gone`, and the paths they stand for."""

import contextlib
import re
from typing import Any

from msgspec import Struct

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Scene
from estompe.kinds.identity_cache import IdentityCache
from estompe.kinds.numbers import Formula, Keyed

# Fields that a name may leave out: people say “Lantern.position.x”.
_SILENT = ("transform", "effect", "source", "range")
_FAMILIES = ("controls", "shapes", "falloffs")
_AXES = {"x": 0, "y": 1, "z": 2}
_NAMES: IdentityCache[tuple[tuple[ScenePath, str], ...]] = IdentityCache()


def path_of(scene: Scene, parts: tuple[str, ...]) -> ScenePath:
    """The path a dotted name stands for. Raises LookupError with words."""
    found = _first(scene, parts[0])
    for part in parts[1:]:
        step = _step(edits.get(scene, found), part)
        if step is None:
            raise LookupError(f"“{parts[0]}” has nothing called “{part}”")
        found = (*found, *step)
    return found


def spoken(scene: Scene, path: ScenePath) -> str:
    """A path as a formula names it; by ids where names would stand for something else."""
    words = _words(scene, path)
    by_id = [str(path[1]), *words[1:]] if path[0] in _FAMILIES and len(path) > 1 else words
    for choice in (words, by_id):
        with contextlib.suppress(LookupError):
            if path_of(scene, tuple(choice)) == path:
                return ".".join(map(_quoted, choice))
    return ".".join(map(_quoted, words))


def _quoted(word: str) -> str:
    return word if re.fullmatch(r"[^\W\d]\w*", word) else f"'{word}'"


def _words(scene: Scene, path: ScenePath) -> list[str]:
    words: list[str] = []
    item: Any = scene
    for step in path:
        below = edits.get(item, (step,))
        if isinstance(step, int) and isinstance(below, float | int | Keyed | Formula):
            words.append("xyz"[step])
        elif isinstance(step, int):
            words.append(getattr(below, "id", str(step + 1)))
        elif step == "camera" or step not in (*_SILENT, *_FAMILIES, "effects", "layers", "joints"):
            words.append(_called(below) or str(step))
        item = below
    return words


def _called(item: Any) -> str:
    """What a person calls a part: its name, the label of its kind, or its id."""
    if not isinstance(item, Struct):
        return ""
    name = getattr(item, "name", "")
    for field in ("effect", "source"):
        kind = getattr(item, field, None)
        if not name and kind is not None:
            name = getattr(kind, "label", "")
    return str(name or getattr(item, "id", ""))


def _first(scene: Scene, word: str) -> ScenePath:
    called: list[tuple[ScenePath, str]] = []
    for family in _FAMILIES:
        for item in getattr(scene, family):
            if word == item.id:
                return family, item.id
            if word in (item.name, item.name.replace(" ", "_")):
                called.append(((family, item.id), item.name))
    if len(called) > 1 and called[0][1] == called[1][1]:
        raise LookupError(f"there are {len(called)} things called “{word}”: rename all but one")
    if called:
        return called[0][0]
    if word in ("camera", scene.camera.name, scene.camera.name.replace(" ", "_")):
        return ("camera",)
    for index, camera in enumerate(scene.other_cameras):
        if word in (camera.name, camera.name.replace(" ", "_")):
            return "other_cameras", index
    for where, name in _names_below(scene):
        # Below the families, such as joints.
        if len(where) > 2 and word in (name, name.replace(" ", "_")):
            return where
    raise LookupError(f"nothing here is called “{word}”")


def _names_below(item: Any) -> tuple[tuple[ScenePath, str], ...]:
    """Everything in a part that has a name, by its path from there. Known parts are not walked again."""
    known = _NAMES.get(item)
    if known is not None:
        return known
    found: list[tuple[ScenePath, str]] = []
    for step, part in edits.steps_of(item):
        if not isinstance(part, tuple | Struct):
            continue
        name = getattr(part, "name", None)
        if isinstance(name, str):
            found.append(((step,), name))
        found += [((step, *below), named) for below, named in _names_below(part)]
    return _NAMES.put(item, tuple(found))


def _step(item: Any, word: str) -> ScenePath | None:
    """The way from a part to what a word names in it."""
    if isinstance(item, tuple):
        index = _AXES.get(word)
        if index is not None and index < len(item) and isinstance(item[index], float | int | Keyed | Formula):
            return (index,)
        for place, part in enumerate(item):
            if word in (_called(part), _called(part).replace(" ", "_"), getattr(part, "id", None), str(place + 1)):
                return (getattr(part, "id", place),)
        return None
    if not isinstance(item, Struct):
        return None
    if word in item.__struct_fields__:
        return (word,)
    for name in item.__struct_fields__:
        part = getattr(item, name)
        below = _step(part, word) if name in _SILENT or (isinstance(part, tuple) and word not in _AXES) else None
        if below is not None:
            return (name, *below)
    return None
