"""Push near a control: a control, a falloff around it and a push, with sizes from the shape's bounds."""

import numpy as np

from estompe.document.edits import fresh_id, insert, put
from estompe.document.scene import EffectSlot, Layer, Range, Route, Scene
from estompe.effects.push import Push
from estompe.falloffs.distance import Distance
from estompe.kernels.types import Floats
from estompe.setups.adding import add_control, add_falloff


def push_near(scene: Scene, shape: str, low: Floats, high: Floats) -> tuple[Scene, str, str]:
    """The scene with the set-up on a shape whose bounds are given, and the new control's and falloff's ids.

    The control stands at the side of the shape; full and gone lie so that about a third of it is reached.
    """
    centre = (low.astype(np.float64) + high) / 2
    half = np.maximum((high.astype(np.float64) - low) / 2, 1e-3)
    radius = float(np.linalg.norm(half))
    position = centre + half * np.array([0.85, 0.25, 0.85])
    at = (_neat(position[0], radius), _neat(position[1], radius), _neat(position[2], radius))
    scene, control = add_control(scene, "sphere", "Control", at)
    layer = Layer(fresh_id(scene, "layer"), Distance(control))
    scene, falloff = add_falloff(scene, "Near control", (layer,))
    scene = put(scene, ("falloffs", falloff, "range"), Range(_neat(radius * 0.25, radius), _neat(radius * 0.9, radius)))
    effect = EffectSlot(fresh_id(scene, "effect"), Push(_neat(radius * 0.15, radius)), (Route(falloff),))
    return insert(scene, ("shapes", shape, "effects"), effect), control, falloff


def _neat(value: float, scale: float) -> float:
    """A value rounded to about a thousandth of a scale, as a person would type it."""
    digits = max(0, 3 - int(np.floor(np.log10(scale))))
    return round(float(value), digits)
