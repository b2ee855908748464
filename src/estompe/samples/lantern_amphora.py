"""A lantern passes an amphora on a quay; the amphora bulges towards it, a swell runs through the quay's surface."""

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
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe

FRAMES = 144

# Radius and height, metres: foot, belly, shoulder, neck and lip.
_PROFILE = (
    (0.0, 0.0), (0.13, 0.0), (0.15, 0.03), (0.20, 0.16), (0.31, 0.42), (0.375, 0.66), (0.36, 0.82), (0.27, 0.96),
    (0.175, 1.05), (0.145, 1.12), (0.15, 1.20), (0.20, 1.235), (0.215, 1.25), (0.205, 1.265), (0.16, 1.24),
)  # fmt: skip


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided; 1 gives about 35 000 points."""
    lantern = Control(
        "lantern",
        "Lantern",
        transform=Transform(
            position=(
                Keyed((Key(1, -1.9), Key(62, 0.42), Key(96, 0.5), Key(FRAMES, 2.1))),
                Keyed((Key(1, 0.95), Key(62, 0.68), Key(FRAMES, 1.05))),
                Keyed((Key(1, 0.9), Key(62, 0.52), Key(96, 0.5), Key(FRAMES, 0.95))),
            )
        ),
    )
    swell = Control(
        "swell-line",
        "Swell line",
        form="plane",
        transform=Transform(position=(Keyed((Key(1, -3.2, "linear"), Key(FRAMES, 3.2, "linear"))), 0.0, 0.0)),
    )
    return Project(
        Scene(
            shapes=(_amphora(density), _quay(density)),
            controls=(lantern, swell),
            falloffs=(_glow(), _swell()),
            camera=Camera("Shot 3", position=(2.35, 1.75, 4.1), target=(0.05, 0.6, 0.0), view_angle=28.0),
            frames_per_second=24.0,
            first=1,
            last=FRAMES,
        )
    )


def _amphora(density: float) -> Shape:
    return Shape(
        "amphora",
        "Amphora",
        Lathe(_PROFILE, around=round(160 * density**0.5), along=round(124 * density**0.5)),
        effects=(EffectSlot("bulge", Push(0.13), (Route("lantern-glow"),)),),
        color=(0.711, 0.57, 0.406),
    )


def _quay(density: float) -> Shape:
    return Shape(
        "quay",
        "Quay",
        Grid(4.4, 3.0, round(150 * density**0.5), round(100 * density**0.5)),
        effects=(EffectSlot("lift", Move((0.0, 0.11, 0.0)), (Route("swell"),)),),
        color=(0.448, 0.462, 0.448),
    )


def _glow() -> Falloff:
    layers = (
        Layer("reach", Distance("lantern")),
        Layer("grain", Noise(amount=0.09, size=0.22, octaves=3, speed=0.35, seed=7), join="add"),
    )
    return Falloff("lantern-glow", "Lantern glow", layers, Range(0.20, 0.85))


def _swell() -> Falloff:
    layers = (
        Layer("crest", Sweep("swell-line", axis="x")),
        Layer("ripple", Noise(amount=0.12, size=0.6, octaves=2, seed=3), join="add"),
    )
    band = (RampPoint(0.0, 0.0), RampPoint(0.5, 1.0), RampPoint(1.0, 0.0))
    return Falloff("swell", "Swell", layers, Range(-0.55, 0.55), band)
