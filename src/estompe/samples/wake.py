"""Reeds bow as a hull passes, each a little later than the next, and rise again slowly."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.displace import Displace
from estompe.effects.rotate import Rotate
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.taper import Taper
from estompe.falloffs.after_glow import AfterGlow
from estompe.falloffs.distance import Distance
from estompe.falloffs.lag import Lag
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.tube import Tube

# Radius and height of the hull lying on its back, metres: a pointed bow, a wide middle, a blunt stern.
_HULL = ((0.0, -0.62), (0.1, -0.45), (0.17, -0.15), (0.18, 0.15), (0.13, 0.42), (0.07, 0.52), (0.0, 0.54))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many reeds stand in the water."""
    across = Keyed((Key(1, -2.3, "linear"), Key(70, 2.4, "linear"), Key(120, 2.5, "linear")))
    hull = Control("bow", "Bow", transform=Transform((across, 0.05, Keyed((Key(1, 0.25), Key(70, -0.25))))))
    falloffs = (
        Falloff("near-hull", "Near the hull", (Layer("near", Distance("bow")),), Range(0.3, 0.7)),
        Falloff("bowed", "Bowed", (Layer("glow", AfterGlow("near-hull", 0.7, 2)),), Range(1.0, 0.0)),
        Falloff("late", "Bowed, each later", (Layer("lag", Lag("bowed", 14.0, "random", seed=4)),), Range(1.0, 0.0)),
        Falloff("ripples", "Ripples", (Layer("swell", Noise(1.0, 0.5, 3, speed=0.8)),), Range(0.7, -0.7)),
    )
    camera = Camera("Shot 22", (0.9, 1.75, 2.6), (0.0, 0.0, -0.12), 33.0)
    shapes = (_reed(), _water(density), _reeds(density), _boat())
    return Project(Scene(shapes, (hull,), falloffs, camera, first=1, last=120))


def _reed() -> Shape:
    effects = (EffectSlot("point", Taper(0.2, "y")),)
    return Shape("reed", "Reed", Tube(0.009, 0.36, 6, 8), Transform((0.0, 0.18, 0.0)), effects, visible=False)


def _water(density: float) -> Shape:
    effects = (EffectSlot("waves", Displace(0.02), (Route("ripples"),)),)
    sheet = Grid(7.0, 6.4, round(100 * density**0.5), round(90 * density**0.5))
    return Shape("water", "Water", sheet, effects=effects, color=(0.133, 0.187, 0.214))


def _reeds(density: float) -> Shape:
    source = ScatteredCopies(form="reed", surface="water", count=round(4000 * density), aligned=False)
    effects = (
        EffectSlot(
            "wild",
            ScatterApart(
                (0.0, -0.1, 0.0), (0.0, 0.05, 0.0), "world", (9.0, 40.0, 9.0), (1.0, 0.7, 1.0), (1.0, 1.25, 1.0)
            ),
            acts_on="pieces",
        ),
        EffectSlot("bend", Rotate(-72.0, "z"), (Route("late"),), acts_on="pieces", each=True),
        EffectSlot("dry", Color((0.787, 0.57, 0.179)), (Route("late"),), acts_on="pieces"),
    )
    return Shape("reeds", "Reeds", source, effects=effects, color=(0.179, 0.263, 0.0732))


def _boat() -> Shape:
    place = Transform(
        (Formula("Bow.position.x"), 0.09, Formula("Bow.position.z")), rotation=(0.0, 0.0, 90.0), scale=(0.9, 1.0, 0.9)
    )
    return Shape("hull", "Hull", Lathe(_HULL, 40, 40), place, color=(0.171, 0.0397, 0.022))
