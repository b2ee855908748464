"""Eat away: holes spread over the surface, whose edges darken and shrink before they go."""

from estompe.document.scene import Scene
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.scale import Scale
from estompe.effects.separate import Separate
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe
from estompe.setups.recipes.catch_fire import spreading


def eat_away(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Colour, size and hide follow one spread."""
    size = Sized.of(low, high)
    scene, eaten, control = spreading(scene, size)
    scene = driven(scene, shape, Separate(), None)
    scene = driven(scene, shape, Color((0.0134, 0.00854, 0.00598)), eaten, "pieces")
    scene = driven(scene, shape, Scale((0.3, 0.3, 0.3)), eaten, "pieces", each=True)
    return Made(driven(scene, shape, Hide(0.96), eaten, "pieces"), shape, eaten, control)


register_recipe(
    Recipe(
        "eat-away",
        "Eat away",
        "Holes spread from a control: each face darkens, shrinks and goes when its neighbours have.",
        eat_away,
        words="dissolve, corrode, erode, holes, acid, decay, burn away, rot, disintegrate, vanish",
    )
)
