"""A lantern rises along a post that is covered with moths: they come off where its light passes, swirl, and are gone."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    Control,
    EffectSlot,
    Falloff,
    Layer,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
    Wind,
)
from estompe.effects.color import Color
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.shed import Shed
from estompe.falloffs.distance import Distance
from estompe.falloffs.loose import LoosePieces
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.lathe import Lathe
from estompe.shapes.octahedron import Octahedron

# Radius and height, metres: a mooring post with a round head.
_POST = ((0.0, 0.0), (0.2, 0.0), (0.17, 0.06), (0.15, 0.9), (0.2, 0.96), (0.2, 1.06), (0.12, 1.16), (0.0, 1.19))
_WOOD, _WING, _LIT = (0.07, 0.05, 0.036), (0.16, 0.14, 0.12), (0.95, 0.62, 0.2)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many moths there are."""
    height = Keyed((Key(1, -0.35), Key(100, 1.25)))
    lantern = Control("lantern", "Lantern", transform=Transform((0.42, height, 0.36)))
    breeze = Control(
        "breeze", "Breeze", "wind", Transform((-1.1, 0.9, 0.0), (0.0, 0.0, 25.0), (0.6, 1.0, 1.0)),
        wind=Wind(0.9, 0.6, 0.4, size=0.7),
    )  # fmt: skip
    shapes = (
        Shape("post", "Post", Lathe(_POST, 48, 60), color=_WOOD),
        Shape("moth", "Moth", Octahedron(0.016, 1), Transform(scale=(1.0, 0.35, 0.6)), color=_WING, visible=False),
        _moths(density),
    )
    near = (
        Layer("near", Distance("lantern")),
        Layer("ragged", Noise(0.18, 0.2, 2, seed=3), "add"),
    )
    falloffs = (
        Falloff("light", "Lantern's light", near, Range(0.25, 0.62)),
        Falloff("aloft", "Aloft", (Layer("age", LoosePieces("age")),), Range(0.05, 0.0)),
    )
    camera = Camera("Shot 33", (0.9, 1.15, 3.3), (0.12, 0.72, 0.0), 32.0)
    return Project(Scene(shapes, (lantern, breeze), falloffs, camera, first=1, last=144))


def _moths(density: float) -> Shape:
    source = ScatteredCopies(form="moth", surface="post", count=round(2600 * density))
    shed = Shed(
        lives=2.6, uneven=0.5, shrinks=0.35, out=0.5, scatter=0.35, gravity=(0.0, 0.5, 0.0), drag=3.0, blown_by="breeze",
        swirl=0.9, swirl_size=0.42, tumble=420.0,
    )  # fmt: skip
    effects = (
        EffectSlot("uneven", ScatterApart((0.0,) * 3, (0.0,) * 3, smallest=(0.6,) * 3, largest=(1.3,) * 3),
                   acts_on="pieces"),
        EffectSlot("shed", shed, (Route("light"),), acts_on="pieces"),
        EffectSlot("lit", Color(_LIT), (Route("light"), Route("aloft")), acts_on="pieces"),
    )  # fmt: skip
    return Shape("moths", "Moths", source, effects=effects, color=_WING)
