"""Weather the tops: what faces up swells by noise, inside a soft ball that can be moved."""

from estompe.document.edits import fresh_id, insert, put
from estompe.document.scene import EffectSlot, Layer, Range, Route, Scene, Transform
from estompe.effects.weather import Weather
from estompe.falloffs.inside import Inside
from estompe.falloffs.noise import Noise
from estompe.falloffs.slope import Slope
from estompe.kernels.types import Floats
from estompe.setups.adding import add_falloff, add_shape
from estompe.setups.making import Made, Recipe, Sized, register_recipe
from estompe.shapes.sphere import Sphere


def weather_tops(scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """The mask is a hidden ball around the top; slope and noise are falloffs of their own, so each can be redirected."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    scene, mask = add_shape(scene, "Mask", Sphere(size.neat(0.8 * size.radius), 16))
    scene = put(scene, ("shapes", mask, "visible"), False)
    scene = put(scene, ("shapes", mask, "transform"), Transform((x, size.neat(y + 0.6 * size.half[1]), z)))
    inside = Layer(fresh_id(scene, "layer"), Inside(mask, size.neat(0.4 * size.radius)))
    scene, where = add_falloff(scene, "In the mask", (inside,))
    scene = put(scene, ("falloffs", where, "range"), Range(1.0, 0.0))
    scene, up = add_falloff(scene, "Facing up", (Layer(fresh_id(scene, "layer"), Slope()),))
    scene = put(scene, ("falloffs", up, "range"), Range(25.0, 75.0))
    grain = Layer(fresh_id(scene, "layer"), Noise(1.0, size.neat(0.14 * size.radius), 3))
    scene, tufts = add_falloff(scene, "Tufts", (grain,))
    scene = put(scene, ("falloffs", tufts, "range"), Range(0.5, -0.6))
    routes = (Route(up), Route(where), Route(tufts))
    slot = EffectSlot(fresh_id(scene, "effect"), Weather(size.neat(0.1 * size.radius), 2), routes)
    return Made(insert(scene, ("shapes", shape, "effects"), slot), shape, up)


register_recipe(
    Recipe(
        "weather-tops",
        "Weather the tops",
        "What faces up swells by noise, only inside a soft ball that can be moved: moss, snow, or worn places below 0.",
        weather_tops,
        words="moss, snow, erode, age, rust, weather, dust, lichen, patina, slope",
    )
)
