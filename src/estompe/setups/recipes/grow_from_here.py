"""Grow from here: growth near a control that is moved over the surface, remembered from frame to frame."""

from estompe.document.scene import Scene
from estompe.effects.grow_by_steps import GrowBySteps
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def grow_from_here(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Where the control is, it grows; key the control, and it leaves a ridge where it has been."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    at = (x, size.neat(y + 0.8 * size.half[1]), size.neat(z + 0.8 * size.half[2]))
    scene, control, falloff = near_control(scene, size, "Grows here", size.neat(0.5 * size.radius), at)
    grow = GrowBySteps(
        size.neat(0.5 * size.radius), speed=size.neat(0.1 * size.radius), voxel=size.neat(size.radius / 48)
    )
    return Made(driven(scene, shape, grow, falloff), shape, falloff, control)


register_recipe(
    Recipe(
        "grow-from-here",
        "Grow from here",
        "It grows where a control is, frame by frame: move the control, and it leaves a ridge where it has been.",
        grow_from_here,
        words="trail, grow, ridge, extrude, bloom, sprout, build up, deposit, draw in space, track",
    )
)
