"""An anchor draws a net down: points are pulled to it, weaker with distance, and never past it."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.attract import Attract
from estompe.effects.color import Color
from estompe.effects.sway import Sway
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    anchor = Control(
        "anchor",
        "Anchor",
        transform=Transform(
            (Keyed((Key(1, -0.5), Key(100, 0.45))), Keyed((Key(1, 0.15), Key(50, -0.7), Key(100, -0.35))), 0.1)
        ),
    )
    pull = Keyed((Key(1, 0.0), Key(30, 0.4), Key(80, 0.55), Key(110, 0.0)))
    effects = (
        EffectSlot("tide", Sway((0.0, 0.045, 0.0), 0.9, 0.6, "nowhere")),
        EffectSlot("pull", Attract("anchor", pull, 1.4, 0.6, "length"), (Route("reach"),)),
        EffectSlot("wet", Color((0.0397, 0.0732, 0.0946)), (Route("reach"),)),
    )
    net = Shape(
        "net",
        "Net",
        Grid(3.0, 2.2, round(150 * density**0.5), round(110 * density**0.5)),
        effects=effects,
        color=(0.57, 0.477, 0.296),
    )
    layers = (Layer("near", Distance("anchor")), Layer("edge", Noise(0.12, 0.3, 2, seed=4), join="add"))
    reach = Falloff("reach", "Reach", layers, Range(0.3, 1.25))
    camera = Camera("Shot 8", (1.7, 0.75, 3.4), (0.0, -0.12, 0.0), 34.0)
    return Project(Scene((net,), (anchor,), (reach,), camera, first=1, last=110))
