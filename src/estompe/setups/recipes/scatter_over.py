"""Scatter over this: small stones over the shape, denser near a control."""

from estompe.document.edits import put
from estompe.document.scene import Scene
from estompe.effects.hide import Hide
from estompe.effects.scatter_apart import ScatterApart
from estompe.kernels.types import Floats
from estompe.setups.adding import add_shape, hide_form
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.sphere import Sphere


def scatter_over(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Grains of uneven size stand on the surface; they thin out away from the control."""
    size = Sized.of(low, high)
    grain = size.neat(size.radius * 0.03)
    scene, form = add_shape(scene, "Grain", Sphere(grain, 4))
    source = ScatteredCopies(form=form, surface=shape, count=1200)
    scene, made = add_shape(scene, "Grains", source)
    scene = hide_form(scene, source)
    scene = put(scene, ("shapes", made, "color"), (0.147, 0.0946, 0.0732))
    at = size.middle[0], size.neat(size.middle[1] + size.half[1]), size.middle[2]
    scene, control, falloff = near_control(scene, size, "Where they are", size.radius * 1.3, at)
    uneven = ScatterApart((0.0,) * 3, (0.0,) * 3, "own", (25.0, 180.0, 25.0), (0.4,) * 3, (1.4,) * 3)  # type: ignore[arg-type]
    scene = driven(scene, made, uneven, None, "pieces")
    scene = driven(scene, made, Hide(how="share"), falloff, "pieces")
    last = len(next(item for item in scene.shapes if item.id == made).effects) - 1
    routes = (
        "shapes",
        made,
        "effects",
        next(item for item in scene.shapes if item.id == made).effects[last].id,
        "routes",
    )
    return Made(put(scene, (*routes, 0, "one_minus"), True), made, falloff, control)


register_recipe(
    Recipe(
        "scatter-over",
        "Scatter over this",
        "Small grains spread evenly over the current shape, fewer away from a control.",
        scatter_over,
        words=(
            "scatter, sprinkle, grains, distribute, dust, pebbles, instance, copies, gravel, seeds, particles, "
            "sand, rocks, emitter"
        ),
    )
)
