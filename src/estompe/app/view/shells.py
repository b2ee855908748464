"""The two shells of a falloff around its controls: full within, gone beyond."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.numbers import plain
from estompe.document.scene import Control, Falloff, Layer, Scene
from estompe.evaluate.asking import matrix_of
from estompe.falloffs.distance import Distance
from estompe.falloffs.sweep import Sweep
from estompe.geometry.placement import Matrix

End = Literal["full", "gone"]
Line = NDArray[np.float64]
_ROUND = np.linspace(0.0, 2 * np.pi, 73)


@dataclass(frozen=True, eq=False)
class Shell:
    """One end of a range as lines in world space. value is in the control's own units, reach in scene units."""

    end: End
    path: Path
    value: float
    control: Control
    matrix: Matrix
    lines: tuple[Line, ...]
    axis: int | None

    @property
    def reach(self) -> float:
        """The value in scene units, along the control's first axis or the swept one."""
        column = self.matrix[:, self.axis if self.axis is not None else 0]
        return self.value * float(np.linalg.norm(column))


def shells_of(scene: Scene, falloff_id: str) -> list[Shell]:
    """The shells of every control a falloff's layers look at. The scene's numbers must be resolved."""
    falloff = edits.get(scene, ("falloffs", falloff_id))
    controls = {control.id: control for control in scene.controls}
    found: list[Shell] = []
    for layer in falloff.layers:
        source = layer.source
        if layer.enabled and isinstance(source, Distance | Sweep) and source.control in controls:
            found += _shells(falloff, layer, controls[source.control])
    return found


def _shells(falloff: Falloff, layer: Layer, control: Control) -> list[Shell]:
    base: Path = ("falloffs", falloff.id)
    within, path = (falloff.range, base) if layer.range is None else (layer.range, (*base, "layers", layer.id))
    matrix = matrix_of(control.placement)
    axis = "xyz".index(layer.source.axis) if isinstance(layer.source, Sweep) else None
    found = []
    ends: tuple[End, End] = ("full", "gone")
    for end in ends:
        value = plain(getattr(within, end))
        own = _sheet(axis, value) if axis is not None else _form(control.form, value)
        lines = tuple(line @ matrix[:, :3].T + matrix[:, 3] for line in own)
        if lines:
            found.append(Shell(end, (*path, "range", end), value, control, matrix, lines, axis))
    return found


def _circle(axis: int, radius: float, at: float = 0.0) -> Line:
    out = np.empty((len(_ROUND), 3))
    out[:, axis] = at
    out[:, (axis + 1) % 3], out[:, (axis + 2) % 3] = radius * np.cos(_ROUND), radius * np.sin(_ROUND)
    return out


def _sheet(axis: int, at: float, half: float = 1.0) -> list[Line]:
    """A square across an axis, with the axis's own line through it."""
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * half
    out = np.empty((5, 3))
    out[:, axis] = at
    out[:, (axis + 1) % 3], out[:, (axis + 2) % 3] = corners[:, 0], corners[:, 1]
    return [out]


def _form(form: str, value: float) -> list[Line]:
    if value <= 0.0:
        return []
    if form == "ball":
        return [_circle(axis, value) for axis in range(3)]
    if form == "plane":
        return _sheet(1, value) + _sheet(1, -value)
    if form == "cylinder":
        upright = np.array([[value, -value, 0.0], [value, value, 0.0]])
        turned = np.array([[[0, 0, 1], [0, 1, 0], [-1, 0, 0]]])[0]
        posts = [upright @ np.linalg.matrix_power(turned, k).T for k in range(4)]
        return [_circle(1, value, -value), _circle(1, value, value), *posts]
    edges = []
    for axis in range(3):
        for first in (-value, value):
            for second in (-value, value):
                ends = np.empty((2, 3))
                ends[:, axis] = (-value, value)
                ends[:, (axis + 1) % 3], ends[:, (axis + 2) % 3] = first, second
                edges.append(ends)
    return edges
