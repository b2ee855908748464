"""A sea fan grows over a rock from its foot, towards a light; polyps open behind its tips."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.push import Push
from estompe.effects.sprout import Sprout
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.branches_surface import BranchesOverSurface
from estompe.shapes.copies_buds import BudsOnBranches
from estompe.shapes.octahedron import Octahedron
from estompe.shapes.sphere import Sphere

_ROCK, _FAN, _YOUNG, _POLYP = (0.055, 0.06, 0.065), (0.25, 0.035, 0.11), (0.85, 0.38, 0.3), (0.93, 0.75, 0.45)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many twigs the fan has."""
    controls = (
        Control("foot", "Foot", transform=Transform((-0.25, -0.15, 0.95))),
        Control("light", "Light", transform=Transform((0.35, 0.75, 0.85))),
    )
    falloffs = (
        Falloff("boulder", "Boulder", (Layer("coarse", Noise(1.0, 0.9, 3, seed=4)),), Range(1.0, 0.0)),
        Falloff("lit", "Lit", (Layer("near", Distance("light")),), Range(0.35, 1.35)),
        Falloff("young", "Young", (Layer("past", Attribute("grown")),), Range(0.0, 0.25)),
    )
    rock = Shape(
        "rock", "Rock", Sphere(0.8, 40), Transform(scale=(1.15, 0.95, 1.0)),
        effects=(EffectSlot("lumps", Push(0.3), (Route("boulder"),)),), color=_ROCK,
    )  # fmt: skip
    shapes = (
        rock,
        _fan(density),
        Shape("polyp", "Polyp", Octahedron(0.009, 1), Transform(scale=(0.7, 1.6, 0.7)), color=_POLYP, visible=False),
        Shape(
            "polyps", "Polyps", BudsOnBranches(form="polyp", branches="fan", spacing=0.035, bare=0.011), color=_POLYP
        ),
    )
    camera = Camera("Shot 12", (0.35, 0.9, 4.1), (0.0, 0.02, 0.0), 30.0)
    return Project(Scene(shapes, controls, falloffs, camera, first=1, last=120))


def _fan(density: float) -> Shape:
    source = BranchesOverSurface(surface="rock", origin="foot", twigs=round(6500 * density), sweep=0.7, homeward=0.3)
    grown = Keyed((Key(1, 0.0), Key(110, 1.1)))
    sprout = Sprout(grown=grown, width=0.0045, gather=2.2, taper=0.12, wait=0.03)
    effects = (
        EffectSlot("sprout", sprout, (Route("lit"),)),
        EffectSlot("tips", Color(_YOUNG), (Route("young"),)),
    )
    return Shape("fan", "Fan", source, effects=effects, color=_FAN)
