"""Salt coats a bronze bell as far as a lantern's warmth does not keep it off: it creeps up with a ragged, rounded edge."""

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
from estompe.effects.coat import Coat
from estompe.effects.displace import Displace
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.samples.fineness import voxel_at
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere

_BELL = (
    (0.0, 0.98), (0.16, 0.95), (0.27, 0.84), (0.32, 0.60), (0.40, 0.32), (0.56, 0.09), (0.60, 0.0), (0.64, 0.0),
    (0.66, 0.07), (0.50, 0.33), (0.42, 0.62), (0.37, 0.90), (0.22, 1.06), (0.0, 1.10),
)  # fmt: skip
_ROUND = (RampPoint(0.0, 1.0), RampPoint(0.5, 0.86), RampPoint(0.8, 0.6), RampPoint(1.0, 0.0))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the bell is divided."""
    around, along = max(24, round(120 * density**0.5)), max(20, round(110 * density**0.5))
    falloffs = (
        Falloff(
            "near",
            "Near the lantern",
            (Layer("reach", Distance("lantern")), Layer("ragged", Noise(0.16, 0.22, 3, seed=5), "add")),
            Range(0.15, 0.75),
            _ROUND,
        ),
        Falloff(
            "crystals",
            "Crystals",
            (
                Layer("grain", Noise(1.0, 0.05, 2, pattern="cellular", seed=8)),
                Layer("thick", Attribute("thickness"), "multiply"),
            ),
            Range(0.05, 0.0),
        ),
    )
    effects = (
        EffectSlot("salt", Coat(0.07, smooth=0.012, hanging=0.8, voxel=voxel_at(density, 0.011)), (Route("near"),)),
        EffectSlot("grains", Displace(0.012), (Route("crystals"),)),
    )
    bell = Shape(
        "bell", "Bell", Lathe(_BELL, around, along), Transform((0.0, 0.05, 0.0)), effects, color=(0.233, 0.107, 0.0245)
    )
    flame = Shape("flame", "Lantern flame", Sphere(0.07, 8), _nearing(), color=(0.955, 0.656, 0.147))
    ground = Shape("shelf", "Shelf", Grid(3.4, 2.4, 2, 2), color=(0.214, 0.187, 0.155))
    camera = Camera("Shot 44", (1.5, 1.35, 2.9), (0.05, 0.62, 0.0), 32.0)
    controls = (Control("lantern", "Lantern", "sphere", _nearing()),)
    return Project(Scene((bell, flame, ground), controls, falloffs, camera, first=1, last=96))


def _nearing() -> Transform:
    across = Keyed((Key(1.0, 1.75, "smooth"), Key(80.0, 0.62, "smooth")))
    return Transform((across, 0.75, 0.45))
