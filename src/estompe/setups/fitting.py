"""A first range that shows something: from what a falloff measures on a shape, full where it is strongest."""

import numpy as np

from estompe.document.edits import put
from estompe.document.project import Project
from estompe.document.scene import Falloff, Range, Scene
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.frame import Shown
from estompe.falloffs.ramp import first_range
from estompe.kernels.types import Floats
from estompe.kinds.numbers import plain
from estompe.setups.adding import neat

_LOW, _HIGH = 5.0, 95.0
"""Percentiles of what is measured between which the range lies."""


def fitted_range(falloff: Falloff, values: Floats) -> Range | None:
    """The range of a falloff that fits what it measures; None where it measures nothing.

    Parameters
    ----------
    falloff : Falloff
        With resolved numbers; the kind of its first layer says whether small or large values are strong.
    values : float32 (n,)
        Its joined values.

    Returns
    -------
    Range
        From the limits of the kind if that is all that is measured, else from the 5th to the 95th percentile of the values.
    """
    layers = [layer for layer in falloff.layers if layer.enabled]
    finite = values[np.isfinite(values)]
    if not layers or not len(finite):
        return None
    first = layers[0].source
    begins = Range(1.0, 0.0) if layers[0].range is not None else first_range(first)
    limits = first.limits if len(layers) == 1 and layers[0].range is None else None
    low, high = limits if limits is not None else np.percentile(finite, (_LOW, _HIGH)).tolist()
    if high - low <= 1e-6 * max(abs(low), abs(high), 1e-6):
        low, high = low - 0.5 * max(abs(low), 1.0), high + 0.5 * max(abs(high), 1.0)
    if limits is None:
        low, high = neat(low, 10.0 * (high - low)), neat(high, 10.0 * (high - low))
    return Range(low, high) if plain(begins.full) < plain(begins.gone) else Range(high, low)


def fitted(scene: Scene, shown: Shown) -> Scene:
    """The scene with the range of a falloff fitted to what it measures. shown: the falloff on a shape, evaluated."""
    within = fitted_range(shown.falloff, shown.values)
    path = ("falloffs", shown.falloff.id, "range")
    changed: Scene = scene if within is None else put(scene, path, within)
    return changed


def fit(project: Project, falloff: str, shape: str, frame: float) -> Scene:
    """Fit the range of a falloff to what it measures on a shape.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    falloff, shape : str
        Their names or ids.
    frame : float
        The frame on which it is measured.

    Returns
    -------
    Scene
        The scene with the fitted range.

    Raises
    ------
    KeyError
        For a name that is not in the scene.
    """
    return fitted(project.scene, evaluate(project, frame, Memo()).shown(shape, falloff))
