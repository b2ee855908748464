"""A field of plankton heaves by sparse noise that loops, while its border stays still, seen by a camera."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.move import Move
from estompe.effects.rotate import Rotate
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.falloffs.border import Border
from estompe.falloffs.noise import Noise
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.lathe import Lathe

# Radius and height, metres: a small bell.
_BELL = ((0.0, -0.02), (0.022, -0.022), (0.03, 0.0), (0.026, 0.018), (0.012, 0.03), (0.0, 0.034))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many copies there are; 1 gives 140 x 58."""
    columns, rows = round(140 * density**0.5), round(58 * density**0.5)
    source = CopiesOnGrid(form="bell", columns=columns, rows=rows, size=(9.0, 0.0, 3.7), staggered=0.5)
    inner, wave = Route("inner"), Route("wave")
    effects = (
        EffectSlot("uneven", ScatterApart((-0.02, -0.01, -0.02), (0.02, 0.01, 0.02), "world", (15.0, 180.0, 15.0),
                                          (0.6,) * 3, (1.1,) * 3), (inner,), acts_on="pieces"),
        EffectSlot("heave", Move((0.0, 0.42, 0.0)), (wave, inner), acts_on="pieces"),
        EffectSlot("lean", Rotate(70.0, "z"), (wave, inner), acts_on="pieces", each=True),
        EffectSlot("grow", Scale((1.9, 1.9, 1.9)), (wave, inner), acts_on="pieces", each=True),
        EffectSlot("glow", Color((0.89, 0.448, 0.147)), (wave, inner), acts_on="pieces"),
    )  # fmt: skip
    shapes = (
        Shape("bell", "Bell", Lathe(_BELL, 8, 5), visible=False),
        Shape("plankton", "Plankton", source, Transform(), effects, color=(0.107, 0.187, 0.233)),
    )
    moving = Noise(pattern="sparse", amount=1.0, size=0.9, octaves=2, speed=0.35, seed=6, loop=96)
    falloffs = (
        Falloff("wave", "Wave", (Layer("sparse", moving),), Range(0.42, -0.05)),
        Falloff("inner", "Inside the border", (Layer("border", Border()),), Range(0.5, 0.12)),
    )
    camera = Camera("Shot 16", (0.0, 1.55, 4.2), (0.0, 0.0, 0.1), 36.0)
    return Project(Scene(shapes, (), falloffs, camera, first=1, last=96))
