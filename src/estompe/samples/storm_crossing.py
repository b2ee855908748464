"""A shot from elsewhere, referred to frame by frame: a boat leaves foam, its sail shivers, buoys swell as it passes."""

from pathlib import Path

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    Color,
    Control,
    EffectSlot,
    Falloff,
    Follow,
    Layer,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.color import Color as Colored
from estompe.effects.displace import Displace
from estompe.effects.move import Move
from estompe.effects.scale import Scale
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.shapes.shot_copies import ShotCopies
from estompe.shapes.shot_mesh import ShotMesh

STAGE = Path(__file__).with_name("storm-crossing.usdc")
"""Written by `scripts/storm_crossing.py`."""
_FOAM, _GLOW = (0.787, 0.828, 0.787), (0.89, 0.393, 0.0946)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: for callers of all samples alike; the shot is as it is."""
    del density
    shapes = (
        _mesh("sea", "Sea", "Sea", (0.089, 0.163, 0.187), _sea_effects()),
        _mesh("hull", "Hull", "Boat/Hull", (0.342, 0.14, 0.0732), ()),
        _mesh("mast", "Mast", "Boat/Rig/Mast", (0.263, 0.187, 0.119), ()),
        _mesh("sail", "Sail", "Boat/Rig/Sail", (0.711, 0.604, 0.42), _sail_effects()),
        Shape("buoys", "Buoys", ShotCopies(str(STAGE), "/Crossing/Buoys"), _follow("Buoys"), _buoy_effects(),
              color=(0.57, 0.107, 0.047)),
    )  # fmt: skip
    controls = (
        Control("boat", "Boat", transform=_follow("Boat")),
        Control("masthead", "Masthead", transform=Transform((0.25, 2.6, 0.0), (0.0, 0.0, 0.0), (0.12,) * 3,
                                                            Follow(str(STAGE), "/Crossing/Boat"))),
    )  # fmt: skip
    falloffs = (
        Falloff("wash", "Wash", (Layer("near-boat", Distance("boat")),
                                 Layer("broken", Noise(0.55, 0.5, 3, speed=0.5, seed=4), join="add")), Range(1.1, 2.0)),
        Falloff("shiver", "Shiver", (Layer("folds", Noise(1.0, 0.32, 2, speed=1.6, space="rest", seed=9)),), Range(0.8, -0.8)),
        Falloff("light", "Masthead light", (Layer("near-lamp", Distance("masthead")),), Range(0.2, 1.5)),
        Falloff("passing", "Passing", (Layer("near-hull", Distance("boat")),), Range(1.6, 3.2)),
    )  # fmt: skip
    camera = Camera("Camera", follows=Follow(str(STAGE), "/Crossing/Camera"))
    return Project(Scene(shapes, controls, falloffs, camera, first=1, last=96))


def _follow(prim: str) -> Transform:
    return Transform(follows=Follow(str(STAGE), f"/Crossing/{prim}"))


def _mesh(name: str, title: str, prim: str, color: Color, effects: tuple[EffectSlot, ...]) -> Shape:
    return Shape(name, title, ShotMesh(str(STAGE), f"/Crossing/{prim}"), _follow(prim), effects, color=color)


def _sea_effects() -> tuple[EffectSlot, ...]:
    return (
        EffectSlot("churn", Move((0.0, 0.1, 0.0)), (Route("wash"),)),
        EffectSlot("foam", Colored(_FOAM), (Route("wash"),)),
    )


def _sail_effects() -> tuple[EffectSlot, ...]:
    return (
        EffectSlot("flutter", Displace(0.05, 0.5), (Route("shiver"),)),
        EffectSlot("lit", Colored(_GLOW), (Route("light"),)),
    )


def _buoy_effects() -> tuple[EffectSlot, ...]:
    near = (Route("passing"),)
    return (
        EffectSlot("swell-up", Scale((1.5, 1.5, 1.5)), near, acts_on="pieces", each=True),
        EffectSlot("lit-up", Colored(_GLOW), near, acts_on="pieces"),
    )
