"""Pennants stream in the wind, part around a gull that flies through them, and hold still where it is."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.numbers import Key, Keyed
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push_away import PushAway
from estompe.effects.sway import Sway
from estompe.effects.taper import Taper
from estompe.falloffs.distance import Distance
from estompe.shapes.grid import Grid

_COUNT = 7


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    gull = Control(
        "gull",
        "Gull",
        transform=Transform(
            (
                Keyed((Key(1, -1.9), Key(120, 1.9))),
                Keyed((Key(1, 0.3), Key(60, -0.05), Key(120, 0.35))),
                Keyed((Key(1, -0.5), Key(60, 0.1), Key(120, 0.4))),
            ),
            rotation=(90.0, 0.0, 0.0),
        ),
    )
    shapes = tuple(_pennant(index, density) for index in range(_COUNT))
    near = Falloff("near-gull", "Near the gull", (Layer("reach", Distance("gull")),), Range(0.25, 0.75))
    camera = Camera("Shot 7", (1.2, 0.7, 4.6), (0.0, 0.0, 0.0), 32.0)
    return Project(Scene(shapes, (gull,), (near,), camera, first=1, last=120))


def _pennant(index: int, density: float) -> Shape:
    """A long flag, its pole end at the left, standing upright."""
    column, row = index % 2, index // 2
    place = (-0.9 + 1.25 * column + 0.12 * row, 0.78 - 0.52 * row, -0.35 + 0.28 * ((index * 3) % 4))
    effects = (
        EffectSlot(f"point-{index}", Taper(0.12, "x")),
        EffectSlot(
            f"wind-{index}", Sway((0.03, 0.06, 0.14), 0.7, 1.1, "x", 1.2), (Route("near-gull", one_minus=True),)
        ),
        EffectSlot(f"part-{index}", PushAway("gull", 0.34), (Route("near-gull"),)),
    )
    tints = ((0.72, 0.30, 0.20), (0.85, 0.78, 0.62), (0.30, 0.42, 0.48))
    sheet = Grid(1.15, 0.3, round(90 * density**0.5), round(16 * density**0.5))
    return Shape(f"pennant-{index + 1}", f"Pennant {index + 1}", sheet, Transform(place, (90.0, 0.0, 0.0)), effects,
                 color=tints[index % 3])  # fmt: skip
