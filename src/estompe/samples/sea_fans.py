"""A bank of sea fans leans and ruffles: stored poses blended by amounts that follow each other."""

import numpy as np

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project, asset_name
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.poses import Pose, Poses
from estompe.effects.taper import Taper
from estompe.falloffs.height import Height
from estompe.geometry import frozen
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Formula, Key, Keyed, Number
from estompe.shapes import primitives
from estompe.shapes.grid import Grid

_WIDTH, _HEIGHT = 1.1, 1.3


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    sheet = Grid(_WIDTH, _HEIGHT, round(80 * density**0.5), round(90 * density**0.5))
    rest = primitives.grid(sheet.width, sheet.depth, sheet.columns, sheet.rows).points
    lean, ruffle = _lean(rest), _ruffle(rest)
    assets = {asset_name(places): frozen(places) for places in (lean, ruffle)}
    sway = Keyed((Key(1, -0.5), Key(30, 1.0), Key(60, -0.8), Key(90, 0.9), Key(120, -0.5)))
    shapes = tuple(
        _fan(index, sheet, lean, ruffle, sway if index == 0 else Formula(_follow(index))) for index in range(5)
    )
    up = Falloff("tips", "Tips", (Layer("height", Height("z")),), Range(0.0, 0.8))
    camera = Camera("Shot 4", (0.4, 1.5, 5.2), (0.1, 0.75, 0.0), 30.0)
    return Project(Scene(shapes, (), (up,), camera, first=1, last=120), assets)


def _follow(index: int) -> str:
    """Each fan leans less than the first one, and the other way by turns."""
    return f"'Fan 1'.Poses.Lean.amount * {(-1) ** index * (1.0 - 0.15 * index):.2f} + 0.2 * sin(frame * {5 + index})"


def _fan(index: int, sheet: Grid, lean: Floats, ruffle: Floats, amount: Number) -> Shape:
    poses = (
        Pose("lean", "Lean", asset_name(lean), amount),
        Pose("ruffle", "Ruffle", asset_name(ruffle), Formula(f"0.6 + 0.4 * sin(frame * 6 + {index * 70})")),
    )
    effects = (
        EffectSlot(f"wedge-{index}", Taper(0.25, "z")),
        EffectSlot(f"pose-{index}", Poses(poses)),
        EffectSlot(f"tint-{index}", Color((0.604, 0.147, 0.0835)), (Route("tips"),)),
    )
    place = (-1.3 + 0.68 * index, 0.65, 0.35 * (-1) ** index)
    return Shape(f"fan-{index + 1}", f"Fan {index + 1}", sheet, Transform(place, (90.0, 0.0, 0.0)), effects)


def _up(rest: Floats) -> Floats:
    """0 at the root of a fan, which is its +Z end, and 1 at its tips."""
    return np.asarray(0.5 - rest[:, 2] / _HEIGHT, np.float32)


def _lean(rest: Floats) -> Floats:
    up, out = _up(rest), rest.copy()
    out[:, 0] += np.float32(0.45) * up**2
    out[:, 2] += np.float32(0.14) * up**2
    return out


def _ruffle(rest: Floats) -> Floats:
    up, out = _up(rest), rest.copy()
    out[:, 1] += np.float32(0.16) * up * np.sin(rest[:, 0] * np.float32(14.0) + up * np.float32(3.0))
    return out
