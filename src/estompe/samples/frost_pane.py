"""Frost spreads over the panes of a harbour window from its sill and frame; it keeps off where a lantern is near."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.sprout import Sprout
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.branches_surface import BranchesOverSurface
from estompe.shapes.grid import Grid

_WIDE, _HIGH, _BAR = 1.0, 1.3, 0.05
_GLASS, _WOOD, _FROST, _NEW = (0.012, 0.022, 0.035), (0.13, 0.075, 0.04), (0.5, 0.62, 0.75), (0.95, 0.98, 1.0)
_SILL = (
    (-0.5, -0.63, 0.0), (-0.31, -0.65, 0.0), (-0.12, -0.65, 0.0), (0.09, -0.65, 0.0), (0.3, -0.65, 0.0), (0.5, -0.62, 0.0),
    (-0.5, -0.3, 0.0), (0.5, -0.24, 0.0), (-0.5, 0.1, 0.0), (0.5, 0.21, 0.0), (-0.5, 0.58, 0.0), (0.5, 0.63, 0.0),
)  # fmt: skip


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how many twigs the frost has."""
    aside = Keyed((Key(1, 0.75), Key(60, 0.2), Key(144, 0.05)))
    controls = (
        Control("sill", "Sill", "path", Transform((0.0, 0.8, 0.0)), points=_SILL),
        Control("lantern", "Lantern", transform=Transform((aside, 0.92, 0.12))),
    )
    kept = (Layer("near", Distance("lantern")), Layer("ragged", Noise(0.12, 0.15, 2, seed=5), "add"))
    falloffs = (
        Falloff("cold", "Cold", kept, Range(0.62, 0.24)),
        Falloff("fresh", "Fresh", (Layer("past", Attribute("grown")),), Range(0.0, 0.12)),
    )
    pane = Shape("pane", "Pane", Grid(_WIDE, _HIGH, 20, 26), Transform((0.0, 0.8, 0.0), (90.0, 0.0, 0.0)), color=_GLASS)
    camera = Camera("Shot 27", (0.35, 0.95, 3.1), (0.0, 0.8, 0.0), 32.0)
    scene = Scene((pane, *_frame(), _frost(density)), controls, falloffs, camera, first=1, last=144)
    return Project(scene)


def _frame() -> tuple[Shape, ...]:
    """The wood around the pane, and a bar across it."""
    side, depth = 0.5 * (_WIDE + _BAR), 0.09
    bars = (
        ("left", (-side, 0.8, 0.0), (_BAR, _HIGH + 2 * _BAR, depth)),
        ("right", (side, 0.8, 0.0), (_BAR, _HIGH + 2 * _BAR, depth)),
        ("top", (0.0, 0.8 + 0.5 * (_HIGH + _BAR), 0.0), (_WIDE, _BAR, depth)),
        ("bottom", (0.0, 0.8 - 0.5 * (_HIGH + _BAR), 0.03), (_WIDE + 0.3, _BAR, depth + 0.1)),
    )
    return tuple(
        Shape(f"bar-{name}", f"Bar, {name}", Box(*size, 2), Transform(place), color=_WOOD) for name, place, size in bars
    )


def _frost(density: float) -> Shape:
    source = BranchesOverSurface(
        surface="pane", origin="sill", twigs=round(9000 * density), homeward=0.05, sweep=0.85, step=0.006
    )
    grown = Keyed((Key(1, 0.0), Key(130, 1.0)))
    sprout = Sprout(grown=grown, width=0.0022, gather=2.8, taper=0.06, sides=4)
    effects = (
        EffectSlot("sprout", sprout, (Route("cold"),)),
        EffectSlot("glint", Color(_NEW), (Route("fresh"),)),
    )
    return Shape("frost", "Frost", source, effects=effects, color=_FROST)
