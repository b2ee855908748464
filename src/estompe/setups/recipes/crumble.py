"""Crumble: the shape's faces part, shrink and fall away behind a ragged front."""

from estompe.document.scene import Scene
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.separate import Separate
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe, sweep_across


def crumble(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The front goes from the left to the right."""
    size = Sized.of(low, high)
    scene, control, falloff = sweep_across(scene, size, 0, "Crumbled", soft=size.radius * 0.6, ragged=size.radius * 0.3)
    scene = driven(scene, shape, Separate(), None)
    far = size.radius
    fallen = ScatterApart(
        (size.neat(-0.15 * far), size.neat(-0.5 * far), size.neat(-0.15 * far)),
        (size.neat(0.15 * far), size.neat(0.15 * far), size.neat(0.15 * far)),
        "world", (180.0, 180.0, 180.0),
    )  # fmt: skip
    scene = driven(scene, shape, fallen, falloff, "pieces")
    scene = driven(scene, shape, Scale((0.0, 0.0, 0.0)), falloff, "pieces", each=True)
    return Made(scene, shape, falloff, control)


register_recipe(
    Recipe(
        "crumble",
        "Crumble",
        "The faces of the current shape part, fall and shrink away behind a ragged front.",
        crumble,
        words=(
            "disintegrate, decay, fall apart, dissolve, ruin, dust, erode, break down, collapse, ash, dissipate, "
            "sand, smoke, petals"
        ),
    )
)
