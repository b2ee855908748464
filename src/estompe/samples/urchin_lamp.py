"""An urchin lamp shows its ribs: ridges on a turned profile that die out at both ends, deeper as its light comes up."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.ridges import Ridges
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.lathe import Lathe

_URCHIN = (
    (0.0, 0.02),
    (0.22, 0.0),
    (0.45, 0.09),
    (0.60, 0.28),
    (0.62, 0.48),
    (0.50, 0.68),
    (0.30, 0.80),
    (0.14, 0.84),
    (0.10, 0.83),
)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    spark = Control("spark", "Spark", transform=Transform((0.0, Keyed((Key(1, -0.7), Key(96, 0.95))), 0.0)))
    depth = Keyed((Key(1, 0.0), Key(70, 0.10), Key(96, 0.085)))
    effects = (
        EffectSlot("ribs", Ridges(20, depth, 0.55, 0.3)),
        EffectSlot("pores", Ridges(60, 0.012, 2.0, 0.2), (Route("light"),)),
        EffectSlot("glow", Color((0.89, 0.342, 0.0946)), (Route("light"),)),
    )
    lamp = Shape(
        "lamp",
        "Lamp",
        Lathe(_URCHIN, round(420 * density**0.5), round(130 * density**0.5)),
        effects=effects,
        color=(0.0946, 0.0397, 0.0732),
    )
    layers = (
        Layer("near", Distance("spark")),
        Layer("grain", Noise(0.06, 0.12, 2, speed=0.4), join="add"),
    )
    light = Falloff("light", "Light", layers, Range(0.25, 1.15))
    camera = Camera("Shot 14", (1.3, 1.35, 2.5), (0.0, 0.4, 0.0), 30.0)
    return Project(Scene((lamp,), (spark,), (light,), camera, first=1, last=96))
