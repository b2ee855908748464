"""Merge these: the shape and all that overlap with it become one body; the others are hidden."""

from estompe.document.edits import put
from estompe.document.scene import Scene
from estompe.effects.merge import Merge
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe
from estompe.shapes.copying import CopiesSource
from estompe.shapes.grid import Grid


def merge_these(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """All other shapes that are seen go in; what is open is named at the card, and can be taken out there."""
    size = Sized.of(low, high)
    others = tuple(
        item.id for item in scene.shapes if item.id != shape and item.visible and _may_be_closed(item.source)
    )
    if not others:
        raise LookupError("there is nothing to merge with: add or show a second closed shape, and put it into this one")
    for other in others:
        scene = put(scene, ("shapes", other, "visible"), False)
    merge = Merge(others, joint=size.neat(0.04 * size.radius))
    return Made(driven(scene, shape, merge, None), shape)


def _may_be_closed(source: object) -> bool:
    """Copies and sheets are no bodies."""
    return not isinstance(source, CopiesSource | Grid)


register_recipe(
    Recipe(
        "merge-these",
        "Merge these",
        "This shape and all others that are seen become one body with soft joints; the others are hidden.",
        merge_these,
        words="boolean, union, combine, metaball, join, fuse, weld, blend, one skin, merge",
    )
)
