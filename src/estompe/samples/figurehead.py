"""A figurehead with an ink outline that keeps its weight while the camera comes closer."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.bend import Bend
from estompe.effects.displace import Displace
from estompe.effects.ridges import Ridges
from estompe.effects.scale import Scale
from estompe.effects.shell import Shell
from estompe.falloffs.facing import Facing
from estompe.falloffs.height import Height
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.lathe import Lathe

_BUST = ((0.0, 0.0), (0.30, 0.0), (0.33, 0.06), (0.27, 0.25), (0.36, 0.55), (0.40, 0.75), (0.30, 0.92), (0.13, 1.02), (0.12, 1.1),
         (0.21, 1.2), (0.24, 1.34), (0.21, 1.48), (0.10, 1.57), (0.0, 1.59))  # fmt: skip


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    effects = (
        EffectSlot("flatten", Scale((0.8, 1.0, 1.15))),
        EffectSlot("gown", Ridges(14, 0.05, 0.8, 0.3, 60.0), (Route("lower"),)),
        EffectSlot("carving", Displace(0.03, 0.5), (Route("chisel"),)),
        EffectSlot("lean", Bend(38.0, "y", 90.0)),
        EffectSlot("ink", Shell(0.05, "outline", True), (Route("outline"),)),
    )
    bust = Shape(
        "figurehead",
        "Figurehead",
        Lathe(_BUST, round(180 * density**0.5), round(200 * density**0.5)),
        Transform(rotation=(0.0, Keyed((Key(1, -30.0), Key(120, 40.0))), 0.0)),
        effects,
        color=(0.656, 0.477, 0.263),
    )
    lower = Falloff("lower", "Lower part", (Layer("height", Height()),), Range(0.15, 0.55))
    chisel = Falloff(
        "chisel", "Chisel", (Layer("marks", Noise(1.0, 0.16, 2, space="rest", centred=False)),), Range(1.0, 0.0)
    )
    outline = Falloff("outline", "Outline", (Layer("facing", Facing()),), Range(80.0, -60.0))
    camera = Camera(
        "Shot 2",
        (
            Keyed((Key(1, 4.5), Key(120, 1.3))),
            Keyed((Key(1, 2.0), Key(120, 1.35))),
            Keyed((Key(1, 8.0), Key(120, 2.2))),
        ),
        (0.0, 0.85, 0.15),
        30.0,
    )
    return Project(Scene((bust,), (), (lower, chisel, outline), camera, first=1, last=120))
