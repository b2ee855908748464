"""Arcs between: living lines from the shape to the next one."""

from estompe.document.edits import put
from estompe.document.scene import Scene, Transform
from estompe.kernels.types import Floats
from estompe.setups.adding import add_shape, new_shape_source
from estompe.setups.making import Made, Recipe, Sized, register_recipe
from estompe.shapes.sphere import Sphere

_COLOR = (0.89, 0.638, 0.263)


def arcs_between(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """From every few points of the shape to those of another one; where there is none, a ball beside it is made."""
    size = Sized.of(low, high)
    if not any(item.id != shape for item in scene.shapes):
        scene, ball = add_shape(scene, "Ball", Sphere(size.neat(size.radius * 0.3)))
        x, y, z = size.middle
        beside = Transform((size.neat(x + size.half[0] + size.radius), y, z))
        scene = put(scene, ("shapes", ball, "transform"), beside)
    source = new_shape_source(scene, "strands-between", shape)
    settings = {
        "lines": 4,
        "every": 8,
        "width": size.neat(size.radius * 0.015),
        "amplitude": size.neat(size.radius * 0.25),
        "size": size.neat(size.radius * 0.6),
        "tip": 1.0,
    }
    scene, made = add_shape(scene, "Arcs", source)
    for name, value in settings.items():
        scene = put(scene, ("shapes", made, "source", name), value)
    return Made(put(scene, ("shapes", made, "color"), _COLOR), made)


register_recipe(
    Recipe(
        "arcs-between",
        "Arcs between",
        "Living arcs from the current shape to another one, as seen from the camera.",
        arcs_between,
        words="lightning, electricity, spark, bolt, arc, arcs, plasma, zap, current",
    )
)
