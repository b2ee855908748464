"""A sea lily opens out: its cup grows from nothing along its profile, ribbed, and its rim warms as it opens."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.open_out import OpenOut
from estompe.effects.ridges import Ridges
from estompe.effects.sway import Sway
from estompe.falloffs.order import Order
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.shapes.lathe import Lathe

_CUP = ((0.02, 0.0), (0.05, 0.25), (0.10, 0.42), (0.22, 0.55), (0.42, 0.72), (0.62, 0.95), (0.70, 1.15), (0.64, 1.28))
_STEM = ((0.05, 0.0), (0.035, 0.4), (0.03, 0.8))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    opened = Keyed((Key(1, 0.0), Key(80, 1.0), Key(110, 1.0)))
    cup = Shape(
        "cup",
        "Cup",
        Lathe(_CUP, round(200 * density**0.5), round(140 * density**0.5)),
        Transform((0.0, 0.75, 0.0)),
        (
            EffectSlot("ribs", Ridges(12, 0.085, 0.7, 0.18, 24.0)),
            EffectSlot("open", OpenOut(opened, "profile", 0.4, 0.16)),
            EffectSlot("tide", Sway((0.06, 0.0, 0.04), 1.6, 0.5, "y", 1.6)),
            EffectSlot("rim-2", Color((0.507, 0.0946, 0.047)), (Route("rim", Formula("Cup.'Open out'.opened")),)),
        ),
    )
    stem = Shape("stem", "Stem", Lathe(_STEM, 48, 60), effects=(EffectSlot("lean", Sway((0.013, 0.0, 0.006), 1.6, 0.5)),),
                 color=(0.263, 0.296, 0.179))  # fmt: skip
    band = (RampPoint(0.0, 1.0), RampPoint(0.45, 0.35), RampPoint(1.0, 0.0))
    rim = Falloff("rim", "Rim", (Layer("order", Order()),), Range(1.0, 0.3), band)
    camera = Camera("Shot 9", (1.9, 2.3, 3.6), (0.0, 1.25, 0.0), 30.0)
    return Project(Scene((cup, stem), (), (rim,), camera, first=1, last=110))
