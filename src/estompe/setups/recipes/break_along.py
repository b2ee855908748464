"""Break along a sweep: the shape in cells, thrown outwards by a front that goes through it."""

from estompe.document.scene import Scene
from estompe.effects.fracture import Fracture
from estompe.effects.scatter_apart import ScatterApart
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe, sweep_across


def break_along(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The front rises through the shape; above it nothing has moved yet."""
    size = Sized.of(low, high)
    scene, control, falloff = sweep_across(scene, size, 1, "Broken", soft=size.radius * 0.5, ragged=size.radius * 0.12)
    scene = driven(scene, shape, Fracture(300, close=True), None)
    far = size.radius
    thrown = ScatterApart(
        (size.neat(-0.1 * far), size.neat(0.05 * far), size.neat(-0.1 * far)),
        (size.neat(0.1 * far), size.neat(0.4 * far), size.neat(0.1 * far)),
        "outward", (90.0, 90.0, 90.0),
    )  # fmt: skip
    scene = driven(scene, shape, thrown, falloff, "pieces")
    return Made(scene, shape, falloff, control)


register_recipe(
    Recipe(
        "break-along",
        "Break along a sweep",
        "The current shape breaks into cells, which a rising front throws outwards.",
        break_along,
        words="shatter, break, explode, destroy, fracture, disintegrate, demolish, crack, smash, collapse",
    )
)
