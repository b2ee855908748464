"""Edits are functions from scene to scene that share all they do not change.

A path names one part of a scene: field names, ids of things that have one, and numbers for places in a plain tuple, such as
("controls", "lantern", "transform", "position", 0).
"""

from collections.abc import Iterable
from typing import Any

from msgspec import Struct, structs
from msgspec.structs import astuple

from estompe.document.names import untaken
from estompe.document.scene import Scene
from estompe.kinds.identity_cache import IdentityCache
from estompe.kinds.numbers import Formula, Keyed, Number

ScenePath = tuple[str | int, ...]


class EditError(LookupError):
    """A path that names nothing in this scene."""


def get(item: Any, path: ScenePath) -> Any:
    """The part of a scene that a path names. Raises EditError."""
    for step in path:
        item = _step(item, step)
    return item


def exists(scene: Scene, path: ScenePath) -> bool:
    """Whether a path names something in this scene."""
    try:
        get(scene, path)
    except EditError:
        return False
    return True


def put(item: Any, path: ScenePath, value: Any) -> Any:
    """The same scene with one part replaced. Raises EditError for a path that names nothing."""
    if not path:
        return value
    step, rest = path[0], path[1:]
    part = _step(item, step)
    changed = put(part, rest, value)
    if changed is part:
        return item
    if isinstance(item, tuple):
        index = _index(item, step)
        return (*item[:index], changed, *item[index + 1 :])
    return structs.replace(item, **{str(step): changed})


def in_order(scene: Scene, before: Scene) -> Scene:
    """Clamp the edited end of the frame range so that first <= last."""
    if scene.last >= scene.first:
        return scene
    moved = {"last": scene.first} if scene.last != before.last else {"first": scene.last}
    return structs.replace(scene, **moved)


def insert(scene: Scene, collection: ScenePath, item: Any, index: int | None = None) -> Scene:
    """An item added to a tuple, at its end or before an index."""
    items = get(scene, collection)
    at = len(items) if index is None else index
    return put(scene, collection, (*items[:at], item, *items[at:]))  # type: ignore[no-any-return]


def remove(scene: Scene, path: ScenePath) -> Scene:
    """A scene without the item of a tuple that the path names; a falloff takes the routes along that feed effects by it."""
    if len(path) == 2 and path[0] == "falloffs":
        scene = _without_routes(scene, str(path[1]))
    items = get(scene, path[:-1])
    index = _index(items, path[-1])
    return put(scene, path[:-1], (*items[:index], *items[index + 1 :]))  # type: ignore[no-any-return]


def _without_routes(scene: Scene, falloff: str) -> Scene:
    for shape in scene.shapes:
        for slot in shape.effects:
            kept = tuple(route for route in slot.routes if route.falloff != falloff)
            if len(kept) < len(slot.routes):
                scene = put(scene, ("shapes", shape.id, "effects", slot.id, "routes"), kept)
    return scene


def reorder(scene: Scene, path: ScenePath, index: int) -> Scene:
    """The item of a tuple moved to another place in it."""
    items = list(get(scene, path[:-1]))
    item = items.pop(_index(tuple(items), path[-1]))
    items.insert(index, item)
    return put(scene, path[:-1], tuple(items))  # type: ignore[no-any-return]


def fresh_id(scene: Scene, stem: str, besides: Iterable[str] = ()) -> str:
    """An id that nothing in the scene has, nor any of those besides: the stem and the next number."""
    taken = ids_below(scene) | set(besides)
    number = 1
    while f"{stem}-{number}" in taken:
        number += 1
    return f"{stem}-{number}"


def names_of(scene: Scene) -> list[str]:
    """The names of all shapes, controls and falloffs, and of the camera: formulas tell them apart by these."""
    items = (*scene.shapes, *scene.controls, *scene.falloffs, scene.camera, *scene.other_cameras)
    return [str(getattr(item, "name", "")) for item in items]


def fresh_name(names: list[str], stem: str) -> str:
    """A name like the stem that is not taken yet."""
    return untaken(stem, set(names), " ")


class FreshNames:
    """Ids and names for many things at once, each unlike the taken ones and unlike each other."""

    def __init__(self, ids: Iterable[str], names: Iterable[str]) -> None:
        self._ids, self._names = set(ids), set(names)
        # The numbers from which free ones are looked for, by stem.
        self._next_id: dict[str, int] = {}
        self._next_name: dict[str, int] = {}

    @classmethod
    def beside(cls, scene: Scene) -> "FreshNames":
        """Ids and names that nothing in a scene has."""
        return cls(ids_below(scene), names_of(scene))

    def id(self, stem: str) -> str:
        """An id: the stem and the next number that is free."""
        number = self._next_id.get(stem, 1)
        while f"{stem}-{number}" in self._ids:
            number += 1
        self._next_id[stem] = number + 1
        return f"{stem}-{number}"

    def name(self, stem: str) -> str:
        """A name like the stem."""
        number, name = self._next_name.get(stem, 2), stem
        while name in self._names:
            name, number = f"{stem} {number}", number + 1
        self._next_name[stem] = number
        self._names.add(name)
        return name


def steps_of(item: Any) -> list[tuple[str | int, Any]]:
    """The parts of a tuple or struct with the step of a path that leads to each: an id, a place in a list, or a field's name."""
    if isinstance(item, tuple):
        return [(getattr(part, "id", place), part) for place, part in enumerate(item)]
    return [(name, getattr(item, name)) for name in item.__struct_fields__]


def numbers_below(item: Any, path: ScenePath = ()) -> list[tuple[ScenePath, Number]]:
    """Every number of a struct with the path to it, in the order of the fields."""
    if isinstance(item, Keyed | Formula | float):
        return [(path, item)]
    if not isinstance(item, tuple | Struct):
        return []
    return [found for step, part in steps_of(item) for found in numbers_below(part, (*path, step))]


def keyed_below(item: Any, path: ScenePath = ()) -> list[tuple[ScenePath, Keyed]]:
    """Every keyed number of a struct with the path to it."""
    return [(where, number) for where, number in numbers_below(item, path) if isinstance(number, Keyed)]


_IDS: IdentityCache[frozenset[str]] = IdentityCache()


def ids_below(item: Any) -> frozenset[str]:
    """Every id in a part. Parts never change, so known ones are not walked again."""
    if not isinstance(item, tuple | Struct):
        return frozenset()
    known = _IDS.get(item)
    if known is not None:
        return known
    parts = item if isinstance(item, tuple) else astuple(item)
    found = frozenset().union(*(ids_below(part) for part in parts if isinstance(part, tuple | Struct)))
    own = getattr(item, "id", None)
    return _IDS.put(item, found | {own} if isinstance(own, str) else found)


def _step(item: Any, step: str | int) -> Any:
    if isinstance(item, tuple):
        return item[_index(item, step)]
    if isinstance(step, str) and isinstance(item, Struct) and step in item.__struct_fields__:
        return getattr(item, step)
    raise EditError(f"there is no “{step}” in {type(item).__name__.lower()}")


def _index(items: tuple[Any, ...], step: str | int) -> int:
    if isinstance(step, int):
        if 0 <= step < len(items):
            return step
        raise EditError(f"there is no place {step} in a list of {len(items)}")
    for index, item in enumerate(items):
        if getattr(item, "id", None) == step:
            return index
    raise EditError(f"“{step}” is not in this scene")
