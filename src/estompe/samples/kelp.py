"""Blades of kelp ruffle along their rims as a swell passes up through them, and sway in it."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    EASED,
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
)
from estompe.effects.color import Color
from estompe.effects.ruffle import Ruffle
from estompe.effects.sway import Sway
from estompe.effects.taper import Taper
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.border import Border
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.grid import Grid

_BLADE, _RIM = (0.075, 0.062, 0.012), (0.42, 0.33, 0.06)
_PLACES = ((-0.3, 0.05, -15.0, 1.1), (0.3, -0.08, 30.0, 0.9))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the blades are divided."""
    height = Keyed((Key(1, -0.3, "linear"), Key(110, 2.0, "linear")))
    swell = Control("swell", "Swell", "plane", Transform((0.0, height, 0.0)))
    falloffs = (
        Falloff(
            "rim", "Rim where the swell was",
            (
                Layer("border", Border(), range=Range(0.01, 0.1), ramp=EASED),
                Layer("passed", Sweep("swell", axis="y"), "multiply", range=Range(0.0, 0.3), ramp=EASED),
            ),
            Range(1.0, 0.0),
        ),
        Falloff("grown", "Grown", (Layer("times", Attribute("growth")),), Range(2.4, 1.0)),
    )  # fmt: skip
    shapes = tuple(_blade(number, place, density) for number, place in enumerate(_PLACES))
    camera = Camera("Shot 21", (0.8, 1.15, 3.9), (0.0, 0.9, 0.0), 32.0)
    return Project(Scene(shapes, (swell,), falloffs, camera, first=1, last=120))


def _blade(number: int, place: tuple[float, float, float, float], density: float) -> Shape:
    x, z, turn, size = place
    fine = density**0.5
    sheet = Grid(0.2, 1.7, max(4, round(12 * fine)), max(12, round(66 * fine)))
    effects = (
        EffectSlot(f"narrow-{number}", Taper(1.9, "z")),
        EffectSlot(f"ruffle-{number}", Ruffle(speed=0.9, most=2.4, seed=number + 1), (Route("rim"),)),
        EffectSlot(f"tint-{number}", Color(_RIM), (Route("grown"),)),
        EffectSlot(f"sway-{number}", Sway((0.08, 0.0, 0.05), 0.8, 0.35, rooted="z", seed=4)),
    )
    standing = Transform((x, 0.88 * size, z), (-90.0, turn, 0.0), (size, size, size))
    return Shape(f"blade-{number + 1}", f"Blade {number + 1}", sheet, standing, effects, color=_BLADE)
