"""Ruffle near a control: the shape grows folds where a control is, a little more on each frame."""

from estompe.document.scene import Scene
from estompe.effects.ruffle import Ruffle
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def ruffle_near(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """A control on the upper front, and folds around it that are a few hundredths of the size thick."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    at = (x, size.neat(y + 0.4 * size.half[1]), size.neat(z + size.half[2]))
    scene, control, falloff = near_control(scene, size, "Where it ruffles", 0.7 * size.radius, at)
    ruffle = Ruffle(speed=0.4, most=1.7, thickness=size.neat(0.07 * size.radius))
    return Made(driven(scene, shape, ruffle, falloff), shape, falloff, control)


register_recipe(
    Recipe(
        "ruffle-near",
        "Ruffle near a control",
        "The surface of the current shape grows and folds where a control is, as kelp or coral does.",
        ruffle_near,
        words="frill, brain coral, lettuce, folds, wrinkles, differential growth, buckle, crumple up, petals, kelp",
    )
)
