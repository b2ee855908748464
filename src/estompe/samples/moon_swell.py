"""The moon swells: even quads displaced by noise, as far as a sweep has come."""

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
from estompe.effects.displace import Displace
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.sphere import Sphere

_EASE = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the mesh is divided."""
    tide = Control(
        "tide", "Tide", "plane", Transform((Keyed((Key(1, -1.5), Key(110, 1.4))), 0.0, 0.0), (0.0, 0.0, -20.0))
    )
    effects = (
        EffectSlot("swell", Displace(0.2, steps=3), (Route("waves"),)),
        EffectSlot("foam", Color((0.848, 0.807, 0.711)), (Route("waves"),)),
    )
    moon = Shape("moon", "Moon", Sphere(0.9, round(72 * density**0.5)), effects=effects, color=(0.133, 0.171, 0.214))
    waves = Falloff(
        "waves",
        "Waves",
        (
            Layer("noise", Noise(1.0, 0.42, 5, 0.5, speed=0.25, pattern="simplex", centred=False, steepness=1.6)),
            Layer("front", Sweep("tide", "x"), range=Range(-0.3, 0.3), ramp=_EASE),
        ),
        Range(1.0, 0.2),
    )
    camera = Camera("Shot 12", (1.2, 0.9, 4.1), (0.0, 0.0, 0.0), 32.0)
    return Project(Scene((moon,), (tide,), (waves,), camera, first=1, last=110))
