"""Lag behind: the surface follows a moving control, each place a little later than the next."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, Range, Scene
from estompe.effects.push import Push
from estompe.falloffs.lag import Lag
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def lag_behind(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The control goes past from left to right."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    a, _, c = size.half
    at = size.neat(x), size.neat(y), size.neat(z + c)
    scene, control, near = near_control(scene, size, "Followed", 0.9 * size.radius, at)
    across = Keyed((Key(float(scene.first), size.neat(x - 1.8 * a)), Key(float(scene.last), size.neat(x + 1.8 * a))))
    scene = put(scene, ("controls", control, "transform", "position", 0), across)
    layer = Layer(fresh_id(scene, "layer"), Lag(near, 18.0))
    scene, late = add_falloff(scene, "Late", (layer,))
    scene = put(scene, ("falloffs", late, "range"), Range(1.0, 0.0))
    return Made(driven(scene, shape, Push(size.neat(0.16 * size.radius)), late), shape, late, control)


register_recipe(
    Recipe(
        "lag-behind",
        "Lag behind",
        "The surface rises towards a moving control, each place up to 18 frames late by a number of its own.",
        lag_behind,
        words=(
            "delay, follow through, stagger, late, jiggle, overlap, ripple, echo, trailing, wave, jelly, "
            "overshoot, anticipation"
        ),
    )
)
