"""Catch fire: it spreads from a place over the surface, which glows at the front, chars and crumples."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, RampPoint, Range, Scene
from estompe.effects.color import Color
from estompe.effects.crumple import Crumple
from estompe.falloffs.other import Other
from estompe.falloffs.spread import Spread
from estompe.kernels.types import Floats
from estompe.setups.adding import add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe

_GLOWING = (RampPoint(0.0, 0.0), RampPoint(0.5, 1.0), RampPoint(1.0, 0.0))


def spreading(scene: Scene, size: Sized) -> tuple[Scene, str, str]:
    """A falloff that spreads from a control at the top right. Returns the scene, the falloff's and the control's id."""
    x, y, z = size.middle
    a, b, c = size.half
    at = size.neat(x + 0.7 * a), size.neat(y + 0.7 * b), size.neat(z + 0.7 * c)
    scene, control, start = near_control(scene, size, "Lit", 0.6 * size.radius, at)
    layer = Layer(fresh_id(scene, "layer"), Spread(start, rise=1.2, pace=size.neat(0.6 * size.radius)))
    scene, fire = add_falloff(scene, "Fire", (layer,))
    return put(scene, ("falloffs", fire, "range"), Range(1.0, 0.0)), fire, control


def catch_fire(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """It glows where it is half burnt."""
    size = Sized.of(low, high)
    scene, fire, control = spreading(scene, size)
    layer = Layer(fresh_id(scene, "layer"), Other(fire))
    scene, glow = add_falloff(scene, "Glow", (layer,))
    scene = put(scene, ("falloffs", glow, "range"), Range(1.0, 0.0))
    scene = put(scene, ("falloffs", glow, "ramp"), _GLOWING)
    scene = driven(scene, shape, Crumple(size.neat(0.1 * size.radius)), fire)
    scene = driven(scene, shape, Color((0.00598, 0.0049, 0.0044)), fire)
    return Made(driven(scene, shape, Color((1.0, 0.147, 0.01)), glow), shape, fire, control)


register_recipe(
    Recipe(
        "catch-fire",
        "Catch fire",
        "It spreads from a control over the surface, which glows, chars and crumples.",
        catch_fire,
        words="burn, fire, heat, heat up, flame, char, ignite, ember, infection, spread, smoulder, glow",
    )
)
