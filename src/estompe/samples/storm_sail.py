"""A sail tears from two weak places outwards, its rags blow against a mast, and the boat rolls."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.cloth import Cloth
from estompe.effects.color import Color
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.order import Order
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe

# Radius and height, metres: a mast with a truck, and a hull's round deck.
_MAST = ((0.0, 0.0), (0.05, 0.0), (0.045, 1.2), (0.032, 2.35), (0.055, 2.37), (0.055, 2.42), (0.0, 2.45))
_DECK = ((0.0, 0.02), (0.55, 0.0), (0.62, -0.08), (0.5, -0.22), (0.0, -0.26))
_ROLL = Keyed((Key(1, -7.0), Key(36, 9.0), Key(72, -8.0), Key(108, 7.0), Key(144, -6.0)), after="hold")

_SPAR = (0.133, 0.0783, 0.0397)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the sail is divided."""
    rolling = Transform(rotation=(0.0, 0.0, _ROLL))
    controls = (
        Control(
            "mast-body",
            "Mast body",
            "cylinder",
            Transform(rotation=(0.0, 0.0, _ROLL), scale=(1.0, 60.0, 1.0)),
            visible=False,
        ),
        Control("tear-high", "Tear high", transform=Transform((-0.32, 1.62, 0.16))),
        Control("tear-low", "Tear low", transform=Transform((0.3, 1.05, 0.16))),
    )
    reach = Keyed((Key(1, 0.02), Key(24, 0.08), Key(110, 0.85)))
    falloffs = (
        Falloff("loose", "Below the yard", (Layer("rows", Order("v")),), Range(0.975, 0.985)),
        Falloff(
            "weak",
            "Worn through",
            (
                Layer("high", Distance("tear-high")),
                Layer("low", Distance("tear-low"), "smaller"),
                Layer("ragged", Noise(0.12, 0.3, 3, seed=5), "add"),
            ),
            Range(0.0, reach),
        ),
    )
    camera = Camera("Shot 27", (2.7, 1.5, 4.3), (0.0, 1.12, 0.0), 33.0)
    shapes = (
        _sail(density),
        Shape("mast", "Mast", Lathe(_MAST, 24, 48), rolling, color=_SPAR),
        Shape("yard", "Yard", Box(1.75, 0.05, 0.05, 8), Transform(_rolled(2.06), (0.0, 0.0, _ROLL)), color=_SPAR),
        Shape("deck", "Deck", Lathe(_DECK, 48, 16), rolling, color=(0.187, 0.113, 0.0637)),
    )  # fmt: skip
    return Project(Scene(shapes, controls, falloffs, camera, first=1, last=144))


def _rolled(height: float) -> tuple[Keyed, Keyed, float]:
    """Where a place so high on the mast goes as the boat rolls, a little before the mast."""
    from math import cos, radians, sin

    x = Keyed(tuple(Key(key.frame, round(-height * sin(radians(key.value)), 5)) for key in _ROLL.keys))
    y = Keyed(tuple(Key(key.frame, round(height * cos(radians(key.value)), 5)) for key in _ROLL.keys))
    return x, y, 0.07


def _sail(density: float) -> Shape:
    fine = density**0.5
    cloth = Cloth(
        wind=(1.2, 0.2, -3.6), gusts=0.55, gust_size=0.8, drag=1.1, damping=0.15, stiffness=0.15,
        control="mast-body", radius=0.05, thickness=0.014, friction=0.3,
        patch=0.16, holds=26.0, weak="weak", uneven=0.8, seed=3, substeps=16,
    )  # fmt: skip
    effects = (
        EffectSlot("cloth", cloth, (Route("loose"),)),
        EffectSlot("worn", Color((0.171, 0.113, 0.0593)), (Route("weak", 0.8),)),
    )
    source = Grid(1.6, 1.65, round(64 * fine), round(66 * fine))
    x, y, _ = _rolled(1.22)
    return Shape(
        "sail", "Sail", source, Transform((x, y, 0.07), (90.0, 0.0, _ROLL)), effects, color=(0.656, 0.554, 0.38)
    )
