"""Fall to pieces: the shape in cells, which a front lets go of; they fall and come to rest on the ground under it."""

from estompe.document.scene import Scene
from estompe.effects.fracture import Fracture
from estompe.effects.set_loose import SetLoose
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe, sweep_across


def fall_to_pieces(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The front goes from the left to the right and throws pieces a little towards the front."""
    size = Sized.of(low, high)
    scene, control, falloff = sweep_across(scene, size, 0, "Loose", soft=size.radius * 0.3, ragged=size.radius * 0.2)
    scene = driven(scene, shape, Fracture(200, close=True), None)
    loose = SetLoose(push=(0.0, size.neat(0.1 * size.radius), size.neat(0.6 * size.radius)), tumble=60.0)
    scene = driven(scene, shape, loose, falloff, "pieces")
    return Made(scene, shape, falloff, control)


register_recipe(
    Recipe(
        "fall-to-pieces",
        "Fall to pieces",
        "The current shape breaks into cells; a front lets go of them, and they fall in a heap.",
        fall_to_pieces,
        words="collapse, rubble, heap, rigid bodies, physics, gravity, demolish, destroy, topple, tumble, debris, drop",
    )
)
