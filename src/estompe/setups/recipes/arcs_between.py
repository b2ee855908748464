"""Arcs between: living lines from the shape to the next one."""

from estompe.document.edits import put
from estompe.document.scene import Scene
from estompe.kernels.types import Floats
from estompe.setups.adding import add_shape, new_shape_source
from estompe.setups.making import Made, Recipe, Sized, register_recipe

_COLOR = (0.95, 0.82, 0.55)


def arcs_between(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """From every few points of the shape to those of another one. Raises LookupError where there is no other."""
    size = Sized.of(low, high)
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
