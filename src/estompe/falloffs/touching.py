"""How points touch a body: a closed shape, or a control by its form."""

import itertools
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.falloffs.distance import path_of
from estompe.falloffs.forms import FORMS
from estompe.falloffs.surface import to_nearest
from estompe.geometry import Geometry
from estompe.kernels.press import touched
from estompe.kernels.surface import feet, nearest_on_surface
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Placed

Vector = NDArray[np.float64]


class Touch(NamedTuple):
    """depth: how far each point lies inside the body, negative outside, scene units; onto: where it would be on its surface."""

    depth: Floats
    onto: Floats


def by_shape(points: Floats, body: Geometry, width: float) -> Touch:
    """How points touch a closed shape.

    Outside the body's box nothing is looked for beyond the width of the swelling: no point there is touched or swells.
    """
    if not body.topology.faces:
        raise CannotEvaluateError("the shape that presses has no surface: choose another")
    found = nearest_on_surface(points, body.tree, most=width * 1.01, within=np.inf)
    depth = -to_nearest(points, body, found, signed=True)
    return Touch(depth, feet(points, body.points, body.topology.triangles, found))


def by_control(points: Floats, control: Placed, radius: float) -> Touch:
    """How points touch a control's body.

    In the control's own space every form is the set of places nearer than the radius to its core.
    """
    if control.form != "path":
        return Touch(*touched(points, control.to_local, control.matrix, FORMS[control.form].body, radius))
    own = transformed(points, control.to_local).astype(np.float64)
    outwards = own - _nearest_on(path_of(control).astype(np.float64), own)
    distance = np.linalg.norm(outwards, axis=1)
    step = outwards / np.maximum(distance, 1e-12)[:, None] * (radius - distance)[:, None]
    onto = transformed((own + step).astype(np.float32), control.matrix)
    depth = np.linalg.norm(step @ control.matrix[:, :3].T, axis=1) * np.sign(radius - distance)
    return Touch(depth.astype(np.float32), onto)


def _nearest_on(line: Vector, own: Vector) -> Vector:
    """The nearest place of a path to each point."""
    best, core = np.full(len(own), np.inf), np.zeros_like(own)
    for begin, end in itertools.pairwise(line):
        step = end - begin
        fraction = np.clip((own - begin) @ step / max(float(step @ step), 1e-20), 0.0, 1.0)
        place = begin + fraction[:, None] * step
        distance = np.linalg.norm(own - place, axis=1)
        near = distance < best
        best, core = np.where(near, distance, best), np.where(near[:, None], place, core)
    return core
