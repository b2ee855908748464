"""Giving controls and shapes a parent, so that they ride along with it."""

from collections.abc import Mapping

from msgspec import structs

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Control, Follow, Scene, Shape, Transform
from estompe.document.transforms import composed, matrix_of
from estompe.geometry.transforms import inverse, parts_of
from estompe.kinds.numbers import Formula, Keyed

_DIGITS = 6


def transforms_of(scene: Scene) -> dict[str, Transform]:
    """The transforms of all controls and shapes by id."""
    items: tuple[Control | Shape, ...] = (*scene.controls, *scene.shapes)
    return {item.id: item.transform for item in items}


def ancestors(transforms: Mapping[str, Transform], name: str) -> list[str]:
    """The ids of a part's parent, the parent's parent and so on."""
    above: list[str] = []
    parent = transforms[name].parent if name in transforms else None
    while parent is not None and parent in transforms and parent not in above:
        above.append(parent)
        parent = transforms[parent].parent
    return above


def with_parent(scene: Scene, placed: Scene, path: ScenePath, parent: str | None) -> Scene:
    """Give a control or shape a parent, or none, and keep it where it is.

    Parameters
    ----------
    scene : Scene
        The scene.
    placed : Scene
        The same on the current frame, with plain numbers and what is followed in place.
    path : ScenePath
        The control or shape.
    parent : str, optional
        The id of the new parent; None for none.

    Returns
    -------
    Scene
        The scene. Keyed numbers and formulas stay as they are, since they hold for other frames too.

    Raises
    ------
    ValueError
        Where the parent would be below itself.
    """
    name = str(path[1])
    if parent is not None and (parent == name or name in ancestors(transforms_of(scene), parent)):
        raise ValueError("a part cannot ride on what rides on it: choose another parent")
    transform: Transform = edits.get(scene, (*path, "transform"))
    if transform.parent == parent:
        return scene
    world = matrix_of(edits.get(placed, (*path, "transform")))
    outer = None
    if parent is not None:
        family = "controls" if edits.exists(placed, ("controls", parent)) else "shapes"
        outer = matrix_of(edits.get(placed, (family, parent, "transform")))
    changed = structs.replace(transform, parent=parent)
    if not isinstance(transform.follows, Follow):
        local = world if outer is None else composed(inverse(outer), world)
        for field, value in zip(("position", "rotation", "scale"), parts_of(local), strict=True):
            if not any(isinstance(part, Keyed | Formula) for part in getattr(transform, field)):
                x, y, z = (round(part, _DIGITS) + 0.0 for part in value)
                changed = structs.replace(changed, **{field: (x, y, z)})
    moved: Scene = edits.put(scene, (*path, "transform"), changed)
    return moved
