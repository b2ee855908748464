"""Signal arcs jump between the masts of two boats, alive and seen from the camera; they grow and die as the lantern passes."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.sway import Sway
from estompe.falloffs.distance import Distance
from estompe.falloffs.order import Order
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_between import StrandsBetween
from estompe.shapes.strands_surface import StrandsFrom

# Radius and height, metres: a hull's rim, a step and a mast with a round top.
_MAST = ((0.0, 0.0), (0.05, 0.0), (0.045, 0.4), (0.03, 1.2), (0.024, 1.65), (0.05, 1.68), (0.05, 1.74), (0.0, 1.78))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely lines are divided."""
    lantern = Control(
        "lantern", "Lantern",
        transform=Transform((Keyed((Key(1, -1.9), Key(60, 0.0), Key(120, 1.9))), 1.45, 0.25)),
    )  # fmt: skip
    masts = tuple(
        Shape(f"mast-{k + 1}", f"Mast {k + 1}", Lathe(_MAST, 20, 40), Transform((x, 0.0, z), (0.0, 0.0, lean)),
              color=(0.147, 0.0946, 0.0593))
        for k, (x, z, lean) in enumerate(((-1.05, 0.1, 3.0), (1.0, -0.25, -4.0)))
    )  # fmt: skip
    lamps = tuple(
        Shape(f"lamp-{k + 1}", f"Lamp {k + 1}", Sphere(0.075, 3), Transform((x, 1.72, z)), color=(0.848, 0.477, 0.133))
        for k, (x, z) in enumerate(((-1.14, 0.1), (1.12, -0.25)))
    )
    falloffs = (
        Falloff("lantern-near", "Near the lantern", (Layer("near", Distance("lantern")),), Range(1.0, 2.0)),
        Falloff("towards-tips", "Towards the tips", (Layer("along", Order()),), Range(1.0, 0.0)),
    )
    camera = Camera("Shot 14", (0.35, 1.3, 5.6), (0.0, 1.02, 0.0), 30.0)
    shapes = (*masts, *lamps, _arcs(density), _deck(), _grass(density))
    return Project(Scene(shapes, (lantern,), falloffs, camera, first=1, last=120))


def _arcs(density: float) -> Shape:
    source = StrandsBetween(
        from_shape="lamp-1", to_shape="lamp-2", pairs="in turn", every=7, lines=3, points=max(12, round(110 * density**0.5)),
        width=0.014, amplitude=0.16, size=0.55, detail=3, speed=1.6, ends=0.35, bend=0.28,
    )  # fmt: skip
    effects = (
        EffectSlot("some", Hide(0.55, "over"), (Route("lantern-near", one_minus=True),), acts_on="pieces"),
        EffectSlot("heat", Color((0.955, 0.319, 0.022)), (Route("lantern-near"),)),
    )
    return Shape("arcs", "Signal arcs", source, effects=effects, color=(0.393, 0.0331, 0.01))


def _deck() -> Shape:
    return Shape("deck", "Mole", Grid(3.6, 1.6, 40, 18), color=(0.263, 0.274, 0.243))


def _grass(density: float) -> Shape:
    source = StrandsFrom(
        surface="deck", roots=round(900 * density), lines=1, points=10, width=0.014, tip=0.1, length=0.22, amplitude=0.03,
        size=0.2, detail=1, speed=0.5, ends=0.9, loose=True, axes="own",
    )  # fmt: skip
    effects = (
        EffectSlot("wind", Sway((0.07, 0.0, 0.03), 0.8, 0.7, "y", 1.6)),
        EffectSlot("dry", Color((0.507, 0.393, 0.133)), (Route("towards-tips"),)),
    )
    return Shape("grass", "Sea grass", source, effects=effects, color=(0.0637, 0.107, 0.055))
