"""Pennants stream in the wind, part around a gull that flies through them, and hold still where it is."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push_away import PushAway
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.sway import Sway
from estompe.effects.taper import Taper
from estompe.falloffs.distance import Distance
from estompe.falloffs.order import Order
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid

_TINTS = ((0.477, 0.0732, 0.0331), (0.692, 0.57, 0.342), (0.0732, 0.147, 0.196))


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
    forms = tuple(_pennant(index, density) for index in range(len(_TINTS)))
    falloffs = (
        Falloff("near-gull", "Near the gull", (Layer("reach", Distance("gull")),), Range(0.25, 0.75)),
        Falloff("loose", "Loose end", (Layer("along", Order("u")),), Range(1.0, 0.0)),
    )
    camera = Camera("Shot 7", (1.2, 0.7, 4.6), (0.0, 0.0, 0.0), 32.0)
    return Project(Scene((*forms, _pennants(forms)), (gull,), falloffs, camera, first=1, last=120))


def _pennant(index: int, density: float) -> Shape:
    """A long flag, its pole end at the left, standing upright."""
    sheet = Grid(1.15, 0.3, round(90 * density**0.5), round(16 * density**0.5))
    effects = (EffectSlot(f"point-{index}", Taper(0.12, "x")),)
    return Shape(f"pennant-{index + 1}", f"Pennant {index + 1}", sheet, Transform(rotation=(90.0, 0.0, 0.0)), effects,
                 visible=False, color=_TINTS[index])  # fmt: skip


def _pennants(forms: tuple[Shape, ...]) -> Shape:
    """Four rows of two; the wind bends each along its own length."""
    source = CopiesOnGrid(
        form=forms[0].id, more=tuple(form.id for form in forms[1:]), choose="at random", seed=6, colors="forms",
        columns=2, layers=4, rows=1, size=(1.3, 1.56, 0.0),
    )  # fmt: skip
    effects = (
        EffectSlot("apart", ScatterApart((-0.12, -0.05, -0.4), (0.12, 0.05, 0.4)), acts_on="pieces"),
        EffectSlot("wind", Sway((0.03, 0.06, 0.16), 0.7, 1.1, "nowhere"),
                   (Route("near-gull", one_minus=True), Route("loose"))),
        EffectSlot("part", PushAway("gull", 0.34), (Route("near-gull"),)),
    )  # fmt: skip
    return Shape("pennants", "Pennants", source, effects=effects)
