"""Tiles turn as it passes: a wall of copies, each turned over by a control that goes by."""

from estompe.document.edits import put
from estompe.document.scene import Scene, Transform
from estompe.effects.rotate import Rotate
from estompe.effects.scatter_apart import ScatterApart
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_shape, hide_form
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe
from estompe.shapes.copies_grid import CopiesOnGrid

_COLUMNS, _ROWS = 24, 12


def tiles_turn(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The wall stands upright; the control passes before it during the shot."""
    size = Sized.of(low, high)
    wide, high_ = 2.2 * size.half[0] * (_COLUMNS - 1), 2.2 * size.half[2] * (_ROWS - 1)
    source = CopiesOnGrid(form=shape, columns=_COLUMNS, rows=_ROWS, size=(size.neat(wide), 0.0, size.neat(high_)))
    scene, made = add_shape(scene, "Tiles", source)
    scene = put(scene, ("shapes", made, "transform"), Transform((0.0, size.neat(high_ / 2), 0.0), (90.0, 0.0, 0.0)))
    scene = hide_form(scene, source)
    at = 0.0, size.neat(high_ / 2), size.neat(size.half[1])
    scene, control, falloff = near_control(scene, size, "As it passes", high_ * 0.55, at)
    across = Keyed((
        Key(float(scene.first), size.neat(-0.7 * wide), "linear"), Key(float(scene.last), size.neat(0.7 * wide), "linear")
    ))  # fmt: skip
    scene = put(scene, ("controls", control, "transform", "position"), (across, *at[1:]))
    uneven = ScatterApart((0.0,) * 3, (0.0,) * 3, smallest=(0.8,) * 3, largest=(1.0,) * 3)  # type: ignore[arg-type]
    scene = driven(scene, made, uneven, None, "pieces")
    scene = driven(scene, made, Rotate(180.0, "x"), falloff, "pieces", each=True)
    return Made(scene, made, falloff, control)


register_recipe(
    Recipe(
        "tiles-turn",
        "Tiles turn as it passes",
        "A wall of copies of the current shape; each turns over as a control goes by.",
        tiles_turn,
        words="flip, tiles, wall, turn, rotate copies, domino, mosaic, panels, reveal, motion graphics",
    )
)
