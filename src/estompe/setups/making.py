"""What recipes share: sizes from a shape's bounds, controls and falloffs that fit it, and the register of recipes."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from estompe.document.edits import fresh_id, insert, put
from estompe.document.scene import EffectSlot, Layer, RampPoint, Range, Route, Scene
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.sweep import Sweep
from estompe.kernels.types import Floats
from estompe.kinds.kind import ActsOn, Effect, Source
from estompe.kinds.numbers import Key, Keyed, Number
from estompe.setups.adding import add_control, add_falloff, neat

BAND: tuple[RampPoint, ...] = (RampPoint(0.0, 0.0), RampPoint(0.5, 1.0), RampPoint(1.0, 0.0))
"""A ramp for things that appear at a front and go again."""


@dataclass(frozen=True)
class Sized:
    """A shape's middle, half extents and radius, from its bounds in the world."""

    middle: tuple[float, float, float]
    half: tuple[float, float, float]
    radius: float

    @classmethod
    def of(cls, low: Floats, high: Floats) -> "Sized":
        """From the two corners of the bounds."""
        middle = (low.astype(np.float64) + high) / 2
        half = np.maximum((high.astype(np.float64) - low) / 2, 1e-3)
        radius = float(np.linalg.norm(half))
        return cls(_triple(middle, radius), _triple(half, radius), radius)

    def neat(self, value: float) -> float:
        """A length rounded to about a thousandth of the size, as a person would type it."""
        return neat(value, self.radius)


@dataclass(frozen=True)
class Made:
    """What a recipe made of a scene: the scene, and what to look at, "" for nothing."""

    scene: Scene
    shape: str
    falloff: str = ""
    control: str = ""


@dataclass(frozen=True)
class Recipe:
    """A set-up in one step. build: takes a scene, a shape's id and its bounds; it may raise LookupError, with words.

    words: other words that people search for, separated by commas.
    """

    tag: str
    label: str
    text: str
    build: Callable[[Scene, str, Floats, Floats], Made]
    words: str = ""


RECIPES: dict[str, Recipe] = {}


def register_recipe(recipe: Recipe) -> None:
    """Make a recipe known under its tag."""
    RECIPES[recipe.tag] = recipe


def near_control(
    scene: Scene, size: Sized, name: str, reach: float, at: tuple[float, float, float]
) -> tuple[Scene, str, str]:
    """A control, and a falloff around it that reaches so far. Returns the scene and both ids."""
    scene, control = add_control(scene, "sphere", "Control", at)
    layer = Layer(fresh_id(scene, "layer"), Distance(control))
    scene, falloff = add_falloff(scene, name, (layer,))
    scene = put(scene, ("falloffs", falloff, "range"), Range(size.neat(reach * 0.25), size.neat(reach)))
    return scene, control, falloff


def sweep_across(
    scene: Scene, size: Sized, axis: int, name: str, *, soft: float, ragged: float = 0.0
) -> tuple[Scene, str, str]:
    """A plane that moves over a shape during the shot, and a falloff full where it has been. Returns the scene and both ids.

    soft: how wide the front is; ragged: how far noise breaks it, scene units.
    """
    middle, half = size.middle, size.half[axis]
    far = size.neat(half + soft + ragged)
    across: Number = Keyed(
        (
            Key(float(scene.first), round(middle[axis] - far, 4), "linear"),
            Key(float(scene.last), round(middle[axis] + far, 4), "linear"),
        )
    )
    position: list[Number] = [*middle]
    position[axis] = across
    scene, control = add_control(scene, "plane", "Front", middle)
    scene = put(scene, ("controls", control, "transform", "position"), tuple(position))
    layers = [Layer(fresh_id(scene, "layer"), Sweep(control, axis=("x", "y", "z")[axis]))]
    if ragged:
        noise: Source = Noise(amount=size.neat(ragged), size=size.neat(size.radius * 0.3), octaves=3)
        layers.append(Layer(fresh_id(scene, "layer", [layers[0].id]), noise, "add"))
    scene, falloff = add_falloff(scene, name, tuple(layers))
    return put(scene, ("falloffs", falloff, "range"), Range(0.0, size.neat(soft))), control, falloff


def driven(
    scene: Scene, shape: str, effect: Effect, falloff: str | None, acts_on: ActsOn = "points", *, each: bool = False
) -> Scene:
    """An effect at the end of a shape's chain, fed by a falloff or at full strength."""
    routes = (Route(falloff),) if falloff is not None else ()
    slot = EffectSlot(fresh_id(scene, "effect"), effect, routes, acts_on=acts_on, each=each)
    return insert(scene, ("shapes", shape, "effects"), slot)


def _triple(values: np.ndarray, scale: float) -> tuple[float, float, float]:
    return neat(values[0], scale), neat(values[1], scale), neat(values[2], scale)
