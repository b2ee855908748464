"""An amphora breaks along the tide line into two thousand shards, which drift on the same falloff while it turns and topples."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.fracture import Fracture
from estompe.effects.scatter_apart import ScatterApart
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.lathe import Lathe

# Radius and height, metres, from the foot to a closed neck; the wall is a body of its own.
_PROFILE = (
    (0.0, 0.0), (0.13, 0.0), (0.15, 0.03), (0.20, 0.16), (0.31, 0.42), (0.375, 0.66), (0.36, 0.82), (0.27, 0.96),
    (0.175, 1.05), (0.145, 1.12), (0.15, 1.20), (0.20, 1.235), (0.215, 1.25), (0.19, 1.262), (0.13, 1.22),
    (0.115, 1.12), (0.145, 1.03), (0.235, 0.945), (0.325, 0.81), (0.34, 0.66), (0.275, 0.43), (0.165, 0.18), (0.0, 0.06),
)  # fmt: skip


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many shards there are, and how finely the amphora is divided."""
    tide = Control(
        "tide-line", "Tide line", "plane",
        Transform((0.0, Keyed((Key(1, -0.35, "linear"), Key(110, 1.75, "linear"))), 0.0), (0.0, 0.0, 8.0)),
    )  # fmt: skip
    layers = (
        Layer("rising", Sweep("tide-line", axis="y")),
        Layer("ragged", Noise(amount=0.10, size=0.3, octaves=3, seed=5), "add"),
    )
    falloffs = (Falloff("under-tide", "Under the tide", layers, Range(-0.55, 0.05)),)
    camera = Camera("Shot 11", (1.8, 1.2, 3.9), (0.05, 0.52, 0.0), 32.0)
    return Project(Scene((_amphora(density),), (tide,), falloffs, camera, first=1, last=144))


def _amphora(density: float) -> Shape:
    cells = max(20, round(2000 * density))
    drifting = ScatterApart(
        (-0.25, 0.05, -0.25), (0.45, 0.75, 0.35), "outward", (160.0, 160.0, 160.0), (0.55,) * 3, (1.0,) * 3
    )
    under = (Route("under-tide"),)
    effects = (
        EffectSlot("cut", Fracture(cells, inside=(0.355, 0.107, 0.047))),
        EffectSlot("drift", drifting, under, acts_on="pieces"),
        EffectSlot("wet", Color((0.233, 0.0946, 0.055)), (Route("under-tide", 0.5),), acts_on="pieces"),
    )
    turning = Transform(
        (0.0, 0.0, 0.0),
        (0.0, Keyed((Key(1, 0.0), Key(144, 140.0))), Keyed((Key(60, 0.0), Key(144, -38.0)))),
    )
    body = Lathe(_PROFILE, around=round(110 * density**0.5), along=round(120 * density**0.5))
    return Shape("amphora", "Amphora", body, turning, effects, color=(0.711, 0.57, 0.406))
