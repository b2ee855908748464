"""Parts of a scene as text: copied from one scene, and pasted into that or any other one, with what they use."""

import base64
import binascii
import io
from collections.abc import Iterable
from typing import Any, NamedTuple

import msgspec
import numpy as np
from msgspec import Struct, structs

from estompe.document import edits, file
from estompe.document.edits import FreshNames, ScenePath
from estompe.document.project import Project, assets_of
from estompe.document.references import renamed_id
from estompe.document.renaming import rename
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Scene, Shape
from estompe.document.uses import FAMILIES, ids_used
from estompe.shapes.box import Box

MOST_BYTES = 64 * 2**20
"""How large the arrays of copied parts may be: text on a clipboard goes through other programs."""
_FORMAT = "estompe parts"
_INNER = {"shapes": "effects", "falloffs": "layers"}


class PartsError(ValueError):
    """Parts that cannot be copied or pasted; the text says why and what to do."""


class Parts(NamedTuple):
    """Copied parts: what was picked, as paths in a scene that holds it and what it uses."""

    project: Project
    picked: tuple[ScenePath, ...]


class Pasted(NamedTuple):
    """A project with pasted parts, and the paths of what was picked when they were copied."""

    project: Project
    paths: tuple[ScenePath, ...]


class _Text(Struct, frozen=True, forbid_unknown_fields=True):
    format: str
    picked: tuple[tuple[str, ...], ...]
    scene: msgspec.Raw
    assets: dict[str, str] = {}


def copied(project: Project, picked: Iterable[ScenePath]) -> Parts:
    """Copy shapes, controls, falloffs, effects and layers, with everything that they use.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    picked : iterable of ScenePath
        Whole shapes, controls and falloffs, and single effects and layers.

    Returns
    -------
    Parts
        The parts in a scene of their own. The shape of an effect and the falloff of a layer stand in it for the ones that these
        are pasted onto.

    Raises
    ------
    PartsError
        Where nothing is picked that can be copied.
    """
    scene = project.scene
    paths = tuple(path for path in dict.fromkeys(picked) if _is_part(path) and edits.exists(scene, path))
    # An effect or layer comes along with its shape or falloff.
    paths = tuple(path for path in paths if len(path) == 2 or path[:2] not in paths)
    if not paths:
        raise PartsError("pick a shape, control, falloff, effect or layer first")
    kept: dict[str, Any] = {}
    for path in paths:
        owner = edits.get(scene, path[:2])
        kept[owner.id] = owner if len(path) == 2 else _with_part(kept.get(owner.id, _stand_in(owner)), scene, path)
    waiting = list(kept)
    while waiting:
        for name in sorted(ids_used(scene, kept[waiting.pop()])):
            owner = _owner_of(scene, name)
            if owner is not None and owner.id not in kept:
                kept[owner.id] = owner
                waiting.append(owner.id)
    families = {
        family: tuple(kept[item.id] for item in getattr(scene, family) if item.id in kept) for family in FAMILIES
    }
    own = structs.replace(scene, **families, states=(), other_cameras=())
    assets = {name: project.assets[name] for name in sorted(assets_of(own) & set(project.assets))}
    return Parts(Project(own, assets), paths)


def _is_part(path: ScenePath) -> bool:
    return (len(path) == 2 and path[0] in FAMILIES) or (len(path) == 4 and path[2] in ("effects", "layers"))


def _stand_in(owner: Any) -> Any:
    """The shape or falloff of single effects or layers, without any."""
    if isinstance(owner, Shape):
        return Shape(owner.id, owner.name, Box())
    return structs.replace(owner, layers=())


def _with_part(stand_in: Any, scene: Scene, path: ScenePath) -> Any:
    inner = str(path[2])
    return structs.replace(stand_in, **{inner: (*getattr(stand_in, inner), edits.get(scene, path))})


def _owner_of(scene: Scene, name: str) -> Any:
    """The shape, control or falloff that has an id or holds the part that has it."""
    for family in FAMILIES:
        for item in getattr(scene, family):
            inner: tuple[EffectSlot | Layer, ...] = getattr(item, _INNER.get(family, ""), ())
            if item.id == name or any(part.id == name for part in inner):
                return item
    return None


def as_text(parts: Parts) -> str:
    """Parts as JSON for the clipboard. Raises PartsError where they are too large for that."""
    if sum(np.asarray(array).nbytes for array in parts.project.assets.values()) > MOST_BYTES:
        raise PartsError(f"its arrays are larger than {MOST_BYTES // 2**20} MB: save the scene and open that instead")
    arrays = {}
    for name, array in parts.project.assets.items():
        stream = io.BytesIO()
        np.lib.format.write_array(stream, np.asarray(array), allow_pickle=False)
        arrays[name] = base64.b64encode(stream.getvalue()).decode()
    picked = tuple(tuple(str(step) for step in path) for path in parts.picked)
    text = _Text(_FORMAT, picked, msgspec.Raw(file.encode_scene(parts.project.scene)), arrays)
    return msgspec.json.encode(text).decode()


def is_parts(text: str) -> bool:
    """Whether a text looks like copied parts."""
    return text.startswith(f'{{"format":"{_FORMAT}"')


def from_text(text: str) -> Parts:
    """Read copied parts from JSON. Raises PartsError for anything that is not sound."""
    if len(text) > 2 * MOST_BYTES:
        raise PartsError("the text on the clipboard is too long")
    try:
        read = msgspec.json.decode(text, type=_Text)
        if read.format != _FORMAT:
            raise PartsError("the text on the clipboard is no part of a scene")
        scene = file.parse_scene(bytes(read.scene))
        arrays = {name: _array(name, data) for name, data in read.assets.items()}
    except (msgspec.MsgspecError, file.FileError, UnicodeError) as error:
        raise PartsError(f"the text on the clipboard cannot be pasted: {error}") from None
    paths = tuple(path for path in read.picked if _is_part(path) and edits.exists(scene, path))
    if not paths:
        raise PartsError("the text on the clipboard holds no part of a scene")
    return Parts(Project(scene, arrays), paths)


def _array(name: str, data: str) -> Any:
    try:
        raw = base64.b64decode(data, validate=True)
    except (binascii.Error, ValueError):
        raise PartsError("an array on the clipboard is damaged") from None
    return file.parse_asset(raw, name)


def pasted(project: Project, parts: Parts, shape: str | None, falloff: str | None, anew: bool = False) -> Pasted:
    """Paste parts into a project.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    parts : Parts
        What was copied.
    shape, falloff : str, optional
        The ids of the shape that takes single effects, and of the falloff that takes single layers.
    anew : bool
        Whether falloffs, controls and shapes that the parts use are duplicated as well. Otherwise those that the scene has, under
        the same id and name, are used.

    Returns
    -------
    Pasted
        The project, in which all that was added has ids and names of its own, and the paths of the picked parts.

    Raises
    ------
    PartsError
        Where single effects or layers are pasted and there is no shape or falloff to take them.
    """
    scene, source = project.scene, parts.project.scene
    hosts = _hosts(scene, parts, shape, falloff)
    whole = {str(path[1]) for path in parts.picked if len(path) == 2}
    fresh, ids = FreshNames.beside(scene), dict(hosts)
    for family in FAMILIES:
        for item in getattr(source, family):
            if item.id in hosts:
                ids.update(_inner_ids(item, fresh))
                continue
            if not anew and item.id not in whole and _has_same(scene, family, item):
                continue
            ids[item.id] = fresh.id(family.removesuffix("s"))
            ids.update(_inner_ids(item, fresh))
            source = rename(source, (family, item.id), fresh.name(item.name))
    for stand_in, host in hosts.items():
        family = "shapes" if edits.exists(source, ("shapes", stand_in)) else "falloffs"
        source = rename(source, (family, stand_in), edits.get(scene, (family, host)).name)
    # An effect that is fed by the falloff of a copied layer goes on being fed by it.
    named = {old: new for old, new in ids.items() if old not in hosts or not edits.exists(scene, ("falloffs", old))}
    for family in FAMILIES:
        for item in getattr(source, family):
            if item.id in ids:
                scene = _added(scene, family, _with_ids(renamed_id(item, named), ids), item.id in hosts)
    paths = tuple(tuple(ids.get(str(step), str(step)) for step in path) for path in parts.picked)
    return Pasted(Project(scene, {**parts.project.assets, **project.assets}, project.variants), paths)


def _hosts(scene: Scene, parts: Parts, shape: str | None, falloff: str | None) -> dict[str, str]:
    """The shapes and falloffs that take single effects and layers, by the stand-ins that these were copied with."""
    hosts: dict[str, str] = {}
    for path in parts.picked:
        if len(path) != 4:
            continue
        family, words, host = str(path[0]), "a shape", shape
        if family == "falloffs":
            words, host = "a falloff", falloff
        if host is None or not edits.exists(scene, (family, host)):
            raise PartsError(f"choose {words} first, which takes what is pasted")
        hosts[str(path[1])] = host
    return hosts


def _has_same(scene: Scene, family: str, item: Any) -> bool:
    path = (family, item.id)
    return edits.exists(scene, path) and edits.get(scene, path).name == item.name


def _inner_ids(item: Any, fresh: FreshNames) -> dict[str, str]:
    """New ids for the effects or layers of a part."""
    parts = (*getattr(item, "effects", ()), *getattr(item, "layers", ()))
    return {part.id: fresh.id("effect" if isinstance(part, EffectSlot) else "layer") for part in parts}


def _with_ids(item: Any, ids: dict[str, str]) -> Any:
    """A part, and what is in it, under the new ids."""
    changes: dict[str, Any] = {"id": ids.get(item.id, item.id)}
    for inner in ("effects", "layers"):
        if hasattr(item, inner):
            changes[inner] = tuple(_with_ids(part, ids) for part in getattr(item, inner))
    return structs.replace(item, **changes)


def _added(scene: Scene, family: str, item: Shape | Control | Falloff, to_host: bool) -> Scene:
    if not to_host:
        return edits.insert(scene, (family,), item)
    inner = "effects" if isinstance(item, Shape) else "layers"
    parts: tuple[EffectSlot | Layer, ...] = getattr(item, inner)
    path = (family, item.id, inner)
    whole: Scene = edits.put(scene, path, (*edits.get(scene, path), *parts))
    return whole
