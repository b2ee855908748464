"""Release and tear: the shape hangs as cloth from its upper edge, is blown, and comes apart where a control is."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, Range, Scene
from estompe.effects.cloth import Cloth
from estompe.falloffs.height import Height
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def release_and_tear(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The upper tenth is held; the weak place grows until all of it is in rags."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    scene, released = add_falloff(scene, "Released", (Layer(fresh_id(scene, "layer"), Height(measured="now")),))
    scene = put(scene, ("falloffs", released, "range"), Range(0.9, 0.91))
    scene, control, weak = near_control(scene, size, "Weak", size.radius, (x, size.neat(y + 0.2 * size.half[1]), z))
    first, last = float(scene.first), float(scene.last)
    grows = Keyed((Key(first, size.neat(0.02 * size.radius)), Key(last, size.neat(1.6 * size.radius))))
    scene = put(scene, ("falloffs", weak, "range"), Range(0.0, grows))
    blown = size.neat(1.5 * size.radius)
    cloth = Cloth(
        wind=(0.0, 0.0, blown), patch=size.neat(0.22 * size.radius), holds=size.neat(12 * size.radius), weak=weak
    )
    return Made(driven(scene, shape, cloth, released), shape, released, control)


register_recipe(
    Recipe(
        "release-and-tear",
        "Release and tear",
        "The shape hangs as cloth from its upper edge, is blown, and comes apart in rags from a growing weak place.",
        release_and_tear,
        words="cloth, rip, tear, flag, drop, fabric, sail, shred, rags, hang",
    )
)
