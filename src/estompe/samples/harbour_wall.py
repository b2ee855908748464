"""A swell takes the mortar out of a harbour wall: stones fall in a heap on a jetty, and dry where they lie still."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.fracture import Fracture
from estompe.effects.set_loose import SetLoose
from estompe.falloffs.distance import Distance
from estompe.falloffs.loose import LoosePieces
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.lathe import Lathe

_STONE, _INSIDE, _DRY = (0.19, 0.17, 0.145), (0.27, 0.235, 0.19), (0.46, 0.4, 0.31)
_PLANKS, _IRON = (0.105, 0.07, 0.043), (0.028, 0.03, 0.034)
# Radius and height, metres: a bollard with a wide head.
_BOLLARD = (
    (0.0, 0.0),
    (0.11, 0.0),
    (0.085, 0.05),
    (0.075, 0.26),
    (0.13, 0.31),
    (0.135, 0.36),
    (0.08, 0.4),
    (0.0, 0.41),
)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many stones there are."""
    way = Keyed((Key(1, -2.6), Key(10, -2.1), Key(84, 1.1)), after="hold")
    swell = Control("swell", "Swell", transform=Transform((way, Keyed((Key(1, 0.45), Key(84, 0.6))), -0.3)))
    shapes = (
        _wall(density),
        Shape("jetty", "Jetty", Box(4.0, 0.24, 2.0, 2), Transform((0.0, -0.12, 0.4)), color=_PLANKS),
        Shape("bollard", "Bollard", Lathe(_BOLLARD, 32, 24), Transform((0.35, 0.0, 0.72)), color=_IRON),
    )
    camera = Camera("Shot 31", (1.9, 1.75, 5.2), (0.0, 0.3, 0.25), 30.0)
    return Project(Scene(shapes, (swell,), _falloffs(), camera, first=1, last=144))


def _falloffs() -> tuple[Falloff, ...]:
    def reach(name: str) -> tuple[Layer, ...]:
        ragged = Layer(f"{name}-ragged", Noise(0.5, 0.25, 2, seed=4), "add")
        return Layer(f"{name}-near", Distance("swell")), ragged

    return (
        Falloff("front", "Swell's front", reach("front"), Range(0.7, 1.1)),
        Falloff("mortar", "Mortar gone", reach("mortar"), Range(1.0, 1.4)),
        Falloff("still", "Lies still", (Layer("rest", LoosePieces("at rest")),), Range(1.0, 0.0)),
    )


def _wall(density: float) -> Shape:
    loose = SetLoose(
        push=(0.0, 0.2, 2.4), tumble=30.0, ground="level", height=-1.1, shapes=("jetty", "bollard"), friction=0.6, bounce=0.08,
        holds=16.0, weak="mortar",
    )  # fmt: skip
    effects = (
        EffectSlot("stones", Fracture(max(8, round(240 * density)), seed=6, inside=_INSIDE)),
        EffectSlot("loose", loose, (Route("front"),), acts_on="pieces"),
        EffectSlot("dry", Color(_DRY), (Route("still", 0.75),), acts_on="pieces"),
    )
    return Shape(
        "wall", "Wall", Box(3.0, 1.15, 0.42, 6), Transform((0.0, 0.62, -0.3), (16.0, 0.0, 0.0)), effects, color=_STONE
    )
