"""A curved wall of tiles that turn over as a lantern passes, and before it a grid of blocks that rise around the lantern."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.bend import Bend
from estompe.effects.color import Color
from estompe.effects.move import Move
from estompe.effects.rotate import Rotate
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.falloffs.border import Border
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid

_GLAZE, _BACK = (0.0732, 0.179, 0.187), (0.71, 0.342, 0.107)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many tiles and blocks there are."""
    lantern = Control(
        "lantern",
        "Lantern",
        transform=Transform((
            Keyed((Key(1, -2.3), Key(72, 0.3), Key(144, 2.5))),
            Keyed((Key(1, 0.9), Key(72, 0.7), Key(144, 1.0))),
            Keyed((Key(1, 0.1), Key(72, -0.25), Key(144, 0.1))),
        )),
    )  # fmt: skip
    shapes = (
        Shape("tile", "Tile", Box(0.098, 0.012, 0.098, 1), visible=False),
        _wall(density),
        Shape("block", "Block", Box(0.09, 0.16, 0.09, 1), visible=False),
        _blocks(density),
    )
    camera = Camera("Shot 9", (0.5, 1.35, 4.3), (0.05, 0.62, -0.2), 30.0)
    return Project(Scene(shapes, (lantern,), _falloffs(), camera, first=1, last=144))


def _wall(density: float) -> Shape:
    columns, rows = round(44 * density**0.5), round(14 * density**0.5)
    source = CopiesOnGrid(form="tile", columns=columns, rows=rows, size=(4.6, 0.0, 1.4), staggered=0.0)
    passing, edge = Route("passing"), Route("inside-border")
    effects = (
        EffectSlot("fronts", Color(_GLAZE, "front"), acts_on="pieces"),
        EffectSlot("backs", Color(_BACK, "back"), acts_on="pieces"),
        EffectSlot("uneven", ScatterApart((0.0,) * 3, (0.0,) * 3, smallest=(0.78,) * 3, largest=(1.0,) * 3), (edge,),
                   acts_on="pieces"),
        EffectSlot("turn", Rotate(180.0, "x"), (passing, edge), acts_on="pieces", each=True),
        EffectSlot("show", Color(_BACK), (Route("turned"), edge), acts_on="pieces"),
        EffectSlot("curve", Bend(-70.0, "x", 90.0), acts_on="pieces"),
    )  # fmt: skip
    return Shape("wall", "Wall", source, Transform((0.0, 0.86, -1.25), (90.0, 0.0, 0.0)), effects)


def _blocks(density: float) -> Shape:
    columns, rows = round(34 * density**0.5), round(16 * density**0.5)
    source = CopiesOnGrid(form="block", columns=columns, rows=rows, size=(3.6, 0.0, 1.5))
    near = (Route("around-lantern"),)
    effects = (
        EffectSlot(
            "shrink", Scale((0.35, 1.0, 0.35)), (Route("around-lantern", one_minus=True),), acts_on="pieces", each=True
        ),
        EffectSlot("rise", Move((0.0, 0.34, 0.0)), near, acts_on="pieces"),
        EffectSlot("warm", Color((0.692, 0.214, 0.0593)), near, acts_on="pieces"),
    )
    return Shape("blocks", "Blocks", source, Transform((0.0, 0.02, 0.1)), effects, color=(0.196, 0.214, 0.214))


def _falloffs() -> tuple[Falloff, ...]:
    grain = Noise(amount=0.12, size=0.35, octaves=2, seed=4)
    passing = (Layer("pass", Distance("lantern")), Layer("pass-grain", grain, "add"))
    turned = (Layer("turned-pass", Distance("lantern")), Layer("turned-grain", grain, "add"))
    return (
        Falloff("passing", "As it passes", passing, Range(0.75, 1.6)),
        Falloff("turned", "Turned over", turned, Range(1.12, 1.20)),
        Falloff("inside-border", "Inside the frame", (Layer("frame", Border()),), Range(0.12, 0.05)),
        Falloff("around-lantern", "Around the lantern", (Layer("around", Distance("lantern")),), Range(0.45, 1.25)),
    )
