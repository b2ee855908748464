"""Copies on a grid near a control: a field of the shape, lifted and turned around a control."""

from estompe.document.scene import Scene
from estompe.effects.move import Move
from estompe.effects.scale import Scale
from estompe.kernels.types import Floats
from estompe.setups.adding import add_shape, hide_form
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe
from estompe.shapes.copies_grid import CopiesOnGrid

_COUNT = 14


def copies_near(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Copies lie a little apart; they rise and grow where the control is near."""
    size = Sized.of(low, high)
    gap = 2.5 * max(size.half[0], size.half[2])
    width = size.neat(gap * (_COUNT - 1))
    source = CopiesOnGrid(form=shape, columns=_COUNT, rows=_COUNT, size=(width, 0.0, width))
    scene, made = add_shape(scene, "Copies", source)
    scene = hide_form(scene, source)
    field = Sized.of(low, high)
    at = 0.0, size.neat(2 * size.half[1]), 0.0
    scene, control, falloff = near_control(scene, field, "Near control", width * 0.35, at)
    scene = driven(scene, made, Scale((1.6, 1.6, 1.6)), falloff, "pieces", each=True)
    scene = driven(scene, made, Move((0.0, size.neat(1.5 * size.half[1]), 0.0)), falloff, "pieces")
    return Made(scene, made, falloff, control)


register_recipe(
    Recipe(
        "copies-near",
        "Copies on a grid near a control",
        "A field of copies of the current shape that rise and grow around a control.",
        copies_near,
        words="array, instance, field, grid, copies, motion graphics, clone, pattern, rise",
    )
)
