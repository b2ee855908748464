"""Smouldering spreads unevenly along a tarred rope: it glows, darkens, crumples, and falls to ash behind the front."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    Control,
    EffectSlot,
    Falloff,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.bend import Bend
from estompe.effects.color import Color
from estompe.effects.crumple import Crumple
from estompe.effects.ridges import Ridges
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.separate import Separate
from estompe.falloffs.noise import Noise
from estompe.falloffs.order import Order
from estompe.falloffs.other import Other
from estompe.falloffs.reached import Reached
from estompe.falloffs.spread import Spread
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe

_GLOWING = (RampPoint(0.0, 0.0), RampPoint(0.5, 1.0), RampPoint(1.0, 0.0))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the rope is divided."""
    fine = density**0.5
    falloffs = (
        # The end of the rope that was lit: a thin slice of its profile.
        Falloff("lit", "Lit end", (Layer("end", Order("profile")),), Range(0.012, 0.03)),
        Falloff("damp", "Damp patches", (Layer("patches", Noise(1.0, 0.3, 2, seed=9)),), Range(1.15, -0.2)),
        Falloff(
            "fire",
            "Smouldering",
            (
                Layer(
                    "spread", Spread("lit", 0.012, 1.5, 0.6, 0.8, barrier="damp", seed=3, substeps=6, by="neighbours")
                ),
            ),
            Range(1.0, 0.0),
        ),
        Falloff("glow", "Glow", (Layer("heat", Other("fire")),), Range(1.0, 0.0), _GLOWING),
        Falloff("ash", "Ash", (Layer("since", Reached("fire", 0.97, "seconds since")),), Range(1.3, 0.3)),
    )
    camera = Camera("Shot 31", (0.25, 0.75, 3.3), (0.0, 0.16, 0.0), 32.0)
    shapes = (_rope(fine), _ground())
    return Project(Scene(shapes, (Control("spark", "Spark", visible=False),), falloffs, camera, first=1, last=144))


def _rope(fine: float) -> Shape:
    profile = ((0.0, -1.3), (0.055, -1.29), (0.06, -1.0), (0.06, 1.0), (0.055, 1.29), (0.0, 1.3))
    source = Lathe(profile, max(18, round(42 * fine)), max(60, round(300 * fine)))
    effects = (
        EffectSlot("strands", Ridges(4, 0.03, 0.55, 0.02, 1500.0)),
        EffectSlot("shrink", Crumple(0.045, 0.25), (Route("fire"),)),
        EffectSlot("char", Color((0.0049, 0.0044, 0.00394)), (Route("fire"),)),
        EffectSlot("ember", Color((1.0, 0.147, 0.00719)), (Route("glow"),)),
        EffectSlot("sag", Bend(26.0, "y", 180.0)),
        EffectSlot("flakes", Separate()),
        EffectSlot(
            "fall",
            ScatterApart((-0.14, -0.74, -0.16), (0.14, -0.66, 0.16), "world", (160.0, 160.0, 160.0)),
            (Route("ash"),),
            acts_on="pieces",
        ),
        EffectSlot("dwindle", Scale((0.45, 0.45, 0.45)), (Route("ash"),), acts_on="pieces", each=True),
        EffectSlot("grey", Color((0.393, 0.367, 0.33)), (Route("ash"),), acts_on="pieces"),
    )
    place = Transform((0.0, 0.62, 0.0), (0.0, 0.0, 90.0))
    return Shape("rope", "Tarred rope", source, place, effects, color=(0.163, 0.0732, 0.0245))


def _ground() -> Shape:
    return Shape("mole", "Mole", Grid(4.0, 2.0, 4, 2), Transform((0.0, -0.12, 0.0)), color=(0.319, 0.307, 0.263))
