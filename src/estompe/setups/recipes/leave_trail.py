"""Leave a trail: where a moving control has been, the surface stays dented and glows for a while."""

from estompe.document.edits import fresh_id, put
from estompe.document.scene import Layer, Range, Scene
from estompe.effects.color import Color
from estompe.effects.push import Push
from estompe.falloffs.after_glow import AfterGlow
from estompe.falloffs.stays import Stays
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_falloff
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe


def leave_trail(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The control goes over the top from left to right."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    a, b, c = size.half
    at = size.neat(x), size.neat(y + 0.75 * b), size.neat(z + 0.6 * c)
    scene, control, near = near_control(scene, size, "Touched", 0.5 * size.radius, at)
    across = Keyed((Key(float(scene.first), size.neat(x - 1.3 * a)), Key(float(scene.last), size.neat(x + 1.3 * a))))
    scene = put(scene, ("controls", control, "transform", "position", 0), across)
    stays = Layer(fresh_id(scene, "layer"), Stays(near, 4))
    scene, trail = add_falloff(scene, "Trail", (stays,))
    glow = Layer(fresh_id(scene, "layer"), AfterGlow(near, 0.8, 4))
    scene, glowing = add_falloff(scene, "Glow", (glow,))
    for falloff in (trail, glowing):
        scene = put(scene, ("falloffs", falloff, "range"), Range(1.0, 0.0))
    scene = driven(scene, shape, Push(size.neat(-0.07 * size.radius)), trail)
    return Made(driven(scene, shape, Color((1.0, 0.263, 0.022)), glowing), shape, trail, control)


register_recipe(
    Recipe(
        "leave-trail",
        "Leave a trail",
        "A moving control dents the surface, which stays dented, and leaves a glow that fades.",
        leave_trail,
        words="trail, footprint, track, imprint, glow, path behind, residue, wake, mark, fade",
    )
)
