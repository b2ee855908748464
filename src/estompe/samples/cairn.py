"""Stones are one body with soft joints; moss swells on what faces up, only inside a soft ball that drifts over them."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    EffectSlot,
    Falloff,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.color import Color
from estompe.effects.merge import Merge
from estompe.effects.push import Push
from estompe.effects.weather import Weather
from estompe.falloffs.inside import Inside
from estompe.falloffs.noise import Noise
from estompe.falloffs.slope import Slope
from estompe.geometry.colors import linear_color
from estompe.kinds.numbers import Key, Keyed
from estompe.samples.fineness import voxel_at
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

# Position, rotation and size of each stone, from the bottom up.
_STONES = (
    ((0.0, 0.26, 0.0), (0.0, 20.0, 4.0), (1.30, 0.56, 1.05)),
    ((-0.52, 0.20, 0.18), (8.0, 70.0, -6.0), (0.80, 0.44, 0.70)),
    ((0.56, 0.18, -0.10), (-4.0, 10.0, 9.0), (0.74, 0.40, 0.82)),
    ((0.03, 0.68, 0.02), (3.0, -30.0, -5.0), (0.98, 0.42, 0.80)),
    ((-0.06, 1.00, 0.05), (-6.0, 50.0, 6.0), (0.74, 0.36, 0.62)),
    ((0.05, 1.28, 0.0), (5.0, 5.0, -8.0), (0.50, 0.30, 0.46)),
    ((0.01, 1.50, 0.02), (0.0, 80.0, 10.0), (0.30, 0.24, 0.28)),
)


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the stones are divided."""
    fine = max(6, round(20 * density**0.5))
    falloffs = (
        Falloff("rough", "Rough stone", (Layer("grain", Noise(1.0, 0.45, 4, 0.5, space="rest", seed=4)),), Range(0.8, -0.8)),
        Falloff("up", "Facing up", (Layer("slope", Slope()),), Range(25.0, 80.0)),
        Falloff("tufts", "Tufts", (Layer("tuft", Noise(1.0, 0.07, 2, seed=11)),), Range(0.35, -0.6)),
        Falloff("haze", "Inside the ball", (Layer("ball", Inside("drift", 0.35)),), Range(1.0, 0.0)),
        Falloff(
            "damp", "Damp", (Layer("wet", Inside("drift", 0.6)), Layer("top", Slope(), range=Range(35.0, 95.0), ramp=_LINE)),
            Range(1.0, 0.0), _LINE,
        ),
    )  # fmt: skip
    stones = tuple(_stone(number, fine) for number in range(1, len(_STONES)))
    others = tuple(shape.id for shape in stones)
    first = _stone(0, fine)
    effects = (
        *first.effects,
        EffectSlot("one-body", Merge(shapes=others, joint=0.05)),
        EffectSlot(
            "moss", Weather(0.055, 3, voxel=voxel_at(density, 0.011)), (Route("up"), Route("haze"), Route("tufts"))
        ),
        EffectSlot("green", Color((0.089, 0.171, 0.0174)), (Route("damp"),)),
    )
    drift = Shape("drift", "Drifting ball", Sphere(0.62, 16), _drifting(), visible=False)
    ground = Shape("ground", "Head", Grid(5.0, 4.0, 2, 2), Transform((0.0, 0.06, 0.0)), color=(0.296, 0.285, 0.233))
    camera = Camera("Shot 40", (2.3, 1.7, 3.2), (0.0, 0.72, 0.0), 30.0)
    shapes = (
        Shape("cairn", "Cairn", first.source, first.transform, effects, color=first.color),
        *stones,
        drift,
        ground,
    )
    return Project(Scene(shapes, (), falloffs, camera, first=1, last=96))


_LINE = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))


def _stone(number: int, fine: int) -> Shape:
    position, rotation, size = _STONES[number]
    rough = EffectSlot(f"rough-{number}", Push(0.05), (Route("rough"),))
    grey = 0.55 + 0.035 * (number % 3)
    color = linear_color((grey + 0.03, grey, grey - 0.04))
    place = Transform(position, rotation, size)
    return Shape(f"stone-{number}", f"Stone {number}", Sphere(0.5, fine), place, (rough,), visible=False, color=color)


def _drifting() -> Transform:
    across = Keyed((Key(1.0, -1.0, "linear"), Key(96.0, 0.9, "linear")))
    rising = Keyed((Key(1.0, 0.35, "smooth"), Key(96.0, 1.35, "smooth")))
    return Transform((across, rising, 0.25))
