"""Grow a mask from here: a mask that grows over the surface, a keyed number from nothing to all of it."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, Range, Scene
from estompe.effects.color import Color
from estompe.falloffs.noise import Noise
from estompe.falloffs.over_surface import OverSurface
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_control, add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe


def grow_mask(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """It starts at the place nearest to a control above, and has gone over all of the shape at the end of the shot."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    scene, control = add_control(
        scene, "sphere", "Start", (x, size.neat(y + size.half[1]), size.neat(z + 0.3 * size.half[2]))
    )
    way = Layer(fresh_id(scene, "layer"), OverSurface(control=control))
    ragged = Layer(
        fresh_id(scene, "layer", [way.id]), Noise(size.neat(0.12 * size.radius), size.neat(0.3 * size.radius), 3), "add"
    )
    scene, falloff = add_falloff(scene, "Grown", (way, ragged))
    soft, far = 0.08 * size.radius, 2.3 * size.radius
    first, last = float(scene.first), float(scene.last)
    full = Keyed((Key(first, size.neat(-3 * soft), "linear"), Key(last, size.neat(far - soft), "linear")))
    gone = Keyed((Key(first, size.neat(-2 * soft), "linear"), Key(last, size.neat(far), "linear")))
    scene = put(scene, ("falloffs", falloff, "range"), Range(full, gone))
    return Made(driven(scene, shape, Color((0.57, 0.089, 0.0174)), falloff), shape, falloff, control)


register_recipe(
    Recipe(
        "grow-mask",
        "Grow a mask from here",
        "A mask grows over the surface from the place nearest to a control; its range is keyed, so it scrubs freely.",
        grow_mask,
        words="reveal, growth, infect, mask, spread, wipe, crawl, geodesic, flood, write on",
    )
)
