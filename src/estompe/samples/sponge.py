"""A sponge grows out of a ball at a pace that follows cells; its colour comes from where on the ball it began."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    EffectSlot,
    Falloff,
    Layer,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.color import Color
from estompe.effects.displace import Displace
from estompe.effects.grow import Grow
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.samples.fineness import voxel_at
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the ball is divided."""
    fine = max(8, round(28 * density**0.5))
    cells = Noise(1.0, 0.34, 1, pattern="cellular", cells="nearest", irregularity=0.9, seed=6)
    falloffs = (
        Falloff("bands", "Bands", (Layer("wave", Noise(1.0, 0.24, 2, space="rest", seed=2)),), Range(0.22, -0.12)),
        Falloff("pace", "Pace", (Layer("cells", cells), Layer("veins", Noise(0.25, 0.12, 2, seed=3), "add")), Range(0.55, -0.75)),
        Falloff("pores", "Pores", (Layer("pore", Noise(1.0, 0.035, 2, pattern="cellular", seed=12)),), Range(-1.0, 0.1)),
    )  # fmt: skip
    grown = Keyed((Key(1.0, 0.0, "linear"), Key(72.0, 1.0, "linear"), Key(96.0, 0.72, "smooth")))
    effects = (
        EffectSlot("stain", Color((0.604, 0.0732, 0.022)), (Route("bands"),)),
        EffectSlot("grow", Grow(0.34, grown=grown, voxel=voxel_at(density, 0.012)), (Route("pace"),)),
        EffectSlot("pitted", Displace(0.014, 0.5), (Route("pores"),)),
    )
    ball = Shape(
        "sponge", "Sponge", Sphere(0.4, fine), Transform((0.0, 0.72, 0.0)), effects, color=(0.787, 0.523, 0.107)
    )
    ground = Shape("bed", "Sea bed", Grid(4.0, 3.0, 2, 2), Transform((0.0, 0.24, 0.0)), color=(0.187, 0.243, 0.243))
    camera = Camera("Shot 47", (1.7, 1.5, 3.1), (0.0, 0.68, 0.0), 30.0)
    return Project(Scene((ball, ground), (), falloffs, camera, first=1, last=96))
