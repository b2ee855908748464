"""Grow a crust: it grows out of the whole surface during the shot, at a pace that follows cells."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, Range, Scene
from estompe.effects.grow import Grow
from estompe.falloffs.noise import Noise
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, register_recipe


def grown_over(scene: Scene) -> Keyed:
    """From nothing on the first frame to all of it on the last."""
    return Keyed((Key(float(scene.first), 0.0, "linear"), Key(float(scene.last), 1.0, "linear")))


def grow_crust(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """One keyed number grows it; the pattern of cells is the pace, and can be replaced by any falloff."""
    size = Sized.of(low, high)
    cells = Noise(1.0, size.neat(0.4 * size.radius), 1, pattern="cellular", irregularity=0.9)
    scene, falloff = add_falloff(scene, "Pace", (Layer(fresh_id(scene, "layer"), cells),))
    scene = put(scene, ("falloffs", falloff, "range"), Range(0.5, -0.8))
    grow = Grow(size.neat(0.4 * size.radius), grown=grown_over(scene))
    return Made(driven(scene, shape, grow, falloff), shape, falloff)


register_recipe(
    Recipe(
        "grow-crust",
        "Grow a crust",
        "A crust or sponge grows out of the surface at a pace that follows cells; one keyed number runs it.",
        grow_crust,
        words="sponge, coral, mold, barnacles, encrust, cells, growth, lichen, organic, crystals",
    )
)
