"""Push near a control: a control, a falloff around it and a push, with sizes from the shape's bounds."""

from estompe.document.scene import Scene
from estompe.effects.push import Push
from estompe.kernels.types import Floats
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def push_near(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The control stands at the side of the shape; full and gone lie so that about a third of it is reached."""
    size = Sized.of(low, high)
    (x, y, z), (a, b, c) = size.middle, size.half
    at = size.neat(x + 0.85 * a), size.neat(y + 0.25 * b), size.neat(z + 0.85 * c)
    scene, control, falloff = near_control(scene, size, "Near control", size.radius * 0.9, at)
    scene = driven(scene, shape, Push(size.neat(size.radius * 0.15)), falloff)
    return Made(scene, shape, falloff, control)


register_recipe(
    Recipe(
        "push-near",
        "Push near a control",
        "A control, a falloff around it and a Push on the current shape, sized to fit.",
        push_near,
        words="bulge, inflate, swell, quick start, push, deform, bump, proximity, null, first",
    )
)
