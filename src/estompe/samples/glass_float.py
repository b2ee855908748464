"""Turbulence sweeps over a glass float: it swells, facets part and shrink, spikes stand in a travelling band, crystals stay."""

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
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.push import Push
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.separate import Separate
from estompe.effects.spikes import Spikes
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.sphere import Sphere

_BAND = (RampPoint(0.0, 0.0), RampPoint(0.5, 1.0), RampPoint(1.0, 0.0))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many facets and crystals there are."""
    front = Control(
        "front", "Front", "plane", Transform((Keyed((Key(1, -1.5, "linear"), Key(144, 1.7, "linear"))), 0.0, 0.0))
    )
    shapes = (
        _float(density),
        Shape("seed-float", "Float at rest", Sphere(0.60, round(26 * density**0.5)), visible=False),
        Shape("crystal", "Crystal", Box(0.022, 0.13, 0.022, 1), visible=False),
        _crystals(density),
    )
    camera = Camera("Shot 12", (1.0, 0.75, 3.4), (0.0, 0.02, 0.0), 32.0)
    return Project(Scene(shapes, (front,), _falloffs(), camera, first=1, last=144))


def _float(density: float) -> Shape:
    effects = (
        EffectSlot("swell", Push(0.10), (Route("turbulence"),)),
        EffectSlot("spike", Spikes(0.34, 1.0, 0.16, 0.7, 0.25), (Route("band"),), acts_on="faces"),
        EffectSlot("redden", Color((0.477, 0.0153, 0.00854)), (Route("are-spikes"), Route("band")), acts_on="faces"),
        EffectSlot("part", Separate()),
        EffectSlot("away", ScatterApart((-0.05, 0.05, -0.05), (0.05, 0.32, 0.05), "own", (120.0, 120.0, 120.0)),
                   (Route("behind"),), acts_on="pieces"),
        EffectSlot("shrink", Scale((0.0, 0.0, 0.0)), (Route("behind"),), acts_on="pieces", each=True),
        EffectSlot("gone", Hide(0.98), (Route("behind"),), acts_on="pieces"),
    )  # fmt: skip
    return Shape("float", "Float", Sphere(0.62, round(26 * density**0.5)), effects=effects, color=(0.214, 0.393, 0.367))


def _crystals(density: float) -> Shape:
    source = ScatteredCopies(form="crystal", surface="seed-float", count=round(420 * density))
    effects = (
        EffectSlot("uneven", ScatterApart((0.0, -0.02, 0.0), (0.0, 0.02, 0.0), "own", (30.0, 90.0, 30.0), (0.3,) * 3, (1.2,) * 3),
                   acts_on="pieces"),
        EffectSlot("form", Scale((0.0, 0.0, 0.0)), (Route("passed", one_minus=True),), acts_on="pieces", each=True),
        EffectSlot("sparse", Hide(how="share"), (Route("patches"),), acts_on="pieces"),
    )  # fmt: skip
    return Shape("crystals", "Crystals", source, effects=effects, color=(0.0174, 0.0196, 0.0272))


def _falloffs() -> tuple[Falloff, ...]:
    rough = Noise(amount=0.22, size=0.4, octaves=3, speed=0.5, seed=9)

    def layers(name: str) -> tuple[Layer, ...]:
        return Layer(f"{name}-sweep", Sweep("front", axis="x")), Layer(f"{name}-rough", rough, "add")

    return (
        Falloff("turbulence", "Turbulence", layers("turbulence"), Range(-0.1, 0.5), _BAND),
        Falloff("band", "Band", layers("band"), Range(-0.25, 0.3), _BAND),
        Falloff("are-spikes", "Spikes", (Layer("spiky", Attribute("spikes")),), Range(1.0, 0.0)),
        Falloff("behind", "Behind the front", layers("behind"), Range(-0.75, -0.15)),
        Falloff("passed", "Has passed", (Layer("passed-sweep", Sweep("front", axis="x")),), Range(-0.35, 0.1)),
        Falloff("patches", "Between the patches", (Layer("patch", Noise(amount=1.0, size=0.45, octaves=2, seed=3)),),
                Range(0.25, -0.1)),
    )  # fmt: skip
