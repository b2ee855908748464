"""Coat near a control: a layer over the surface, thick beside a control and gone exactly at its reach."""

from estompe.document.edits import fresh_id, insert, put
from estompe.document.scene import Layer, RampPoint, Scene
from estompe.effects.coat import Coat
from estompe.falloffs.noise import Noise
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe

_ROUND = (RampPoint(0.0, 1.0), RampPoint(0.5, 0.86), RampPoint(0.8, 0.6), RampPoint(1.0, 0.0))


def coat_near(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Its edge is round, and broken by noise."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    at = (x, size.neat(y + 0.8 * size.half[1]), size.neat(z + 0.8 * size.half[2]))
    scene, control, falloff = near_control(scene, size, "Coated", size.neat(0.9 * size.radius), at)
    noise = Noise(size.neat(0.2 * size.radius), size.neat(0.25 * size.radius), 3)
    scene = insert(scene, ("falloffs", falloff, "layers"), Layer(fresh_id(scene, "layer"), noise, "add"))
    scene = put(scene, ("falloffs", falloff, "ramp"), _ROUND)
    coat = Coat(size.neat(0.08 * size.radius), smooth=size.neat(0.012 * size.radius))
    return Made(driven(scene, shape, coat, falloff), shape, falloff, control)


register_recipe(
    Recipe(
        "coat-near",
        "Coat near a control",
        "Salt, snow or paint over the surface: thick beside a control, gone at its reach, with a round ragged edge.",
        coat_near,
        words="snow, salt, paint, layer, frost, cover, ice, deposit, dust, icing, freeze, dirt, water",
    )
)
