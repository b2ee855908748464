"""Drift away: the shape's faces come off behind a ragged front, drift through the air, shrink and are gone."""

from estompe.document.scene import Scene
from estompe.effects.separate import Separate
from estompe.effects.shed import Shed
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe, sweep_across


def drift_away(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The front rises through the shape; flakes go up with the air, and a little to one side."""
    size = Sized.of(low, high)
    scene, control, falloff = sweep_across(scene, size, 1, "Shed", soft=size.radius * 0.2, ragged=size.radius * 0.4)
    scene = driven(scene, shape, Separate(), None)
    far = size.radius
    shed = Shed(
        out=size.neat(0.3 * far), scatter=size.neat(0.2 * far), gravity=(0.0, 0.0, 0.0), drag=4.0,
        wind=(size.neat(0.3 * far), size.neat(0.5 * far), 0.0), swirl=size.neat(0.8 * far),
        swirl_size=size.neat(0.5 * far),
    )  # fmt: skip
    scene = driven(scene, shape, shed, falloff, "pieces")
    return Made(scene, shape, falloff, control)


register_recipe(
    Recipe(
        "drift-away",
        "Drift away",
        "The faces of the current shape come off behind a rising front, drift off and are gone.",
        drift_away,
        words="particles, dissolve, disintegrate, dust, ash, embers, vanish, blow away, scatter, flakes, petals, turn to sand",
    )
)
