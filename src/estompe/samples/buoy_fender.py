"""A buoy drifts into a fender: the fender gives way, swells around it, and keeps its volume."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.press import Press
from estompe.effects.smooth import Smooth
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.surface import Surface
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere

_FENDER = (
    (0.0, -0.9),
    (0.16, -0.88),
    (0.28, -0.76),
    (0.33, -0.5),
    (0.34, 0.0),
    (0.33, 0.5),
    (0.28, 0.76),
    (0.16, 0.88),
    (0.0, 0.9),
)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    drift = Keyed((Key(1, 1.35), Key(40, 0.62), Key(64, 0.46), Key(100, 0.6), Key(120, 1.3)))
    buoy = Shape(
        "buoy",
        "Buoy",
        Sphere(0.36, round(28 * density**0.5)),
        Transform((drift, Keyed((Key(1, 0.12), Key(64, -0.05), Key(120, 0.1))), 0.0)),
        color=(0.448, 0.089, 0.047),
    )
    effects = (
        EffectSlot("press", Press(shape="buoy", width=0.42, keep_volume=True)),
        EffectSlot("settle", Smooth(3), (Route("touching", 0.6),)),
        EffectSlot("warm", Color((0.107, 0.0331, 0.022)), (Route("near-buoy", 0.5),)),
    )
    fender = Shape(
        "fender",
        "Fender",
        Lathe(_FENDER, round(120 * density**0.5), round(150 * density**0.5)),
        effects=effects,
        color=(0.342, 0.367, 0.342),
    )
    near = Falloff("near-buoy", "Near the buoy", (Layer("gap", Surface("buoy", maximum=0.4)),), Range(0.02, 0.35))
    touching = Falloff("touching", "Touching", (Layer("contact", Attribute("contact")),), Range(1.0, 0.0))
    camera = Camera("Shot 5", (2.1, 0.9, 3.2), (0.25, 0.0, 0.0), 30.0)
    return Project(Scene((fender, buoy), (), (near, touching), camera, first=1, last=120))
