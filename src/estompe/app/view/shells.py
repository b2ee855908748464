"""The two shells of a falloff around its controls: full within, gone beyond."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from estompe.app.view.forms import DRAWINGS, Line, square
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Control, Falloff, Layer, Range, Scene
from estompe.document.transforms import matrix_of
from estompe.falloffs.ramp import swept
from estompe.geometry.transforms import Matrix
from estompe.kernels.types import Floats
from estompe.kinds.kind import Shell as Drawn
from estompe.kinds.numbers import plain

End = Literal["full", "gone"]
ENDS: tuple[End, End] = ("full", "gone")
END_WORDS: dict[str, str] = {"full": "full within", "gone": "gone beyond"}


@dataclass(frozen=True, eq=False)
class Shell:
    """One end of a range as lines in world space. value: in the control's local space; axis: the one that is swept, or None.

    swept: where the end lies when *Passed* is 0 and when it is 1, if that is what moves it.
    """

    end: End
    path: ScenePath
    value: float
    control: Control
    matrix: Matrix
    lines: tuple[Line, ...]
    axis: int | None
    swept: tuple[float, float] | None = None

    def number(self, value: float) -> float:
        """What the number at its path must be, so that the end lies at a value."""
        if self.swept is None:
            return value
        begin, end = self.swept
        return min(max((value - begin) / (end - begin), 0.0), 1.0)

    @property
    def distance(self) -> float:
        """The value in scene units, along the control's first axis or the swept one."""
        column = self.matrix[:, self.axis if self.axis is not None else 0]
        return self.value * float(np.linalg.norm(column))


def shells_of(scene: Scene, falloff_id: str, values: Floats | None = None) -> list[Shell]:
    """The shells of every control a falloff's layers look at. The scene's numbers must be resolved.

    values: what it measures, float32 (n,), where it is swept over that.
    """
    falloff = edits.get(scene, ("falloffs", falloff_id))
    controls = {control.id: control for control in scene.controls}
    found: list[Shell] = []
    for layer in falloff.layers:
        drawn = layer.source.shell() if layer.enabled else None
        if drawn is not None and drawn.control in controls:
            found += _shells(falloff, layer, drawn, controls[drawn.control], values)
    return found


def _shells(falloff: Falloff, layer: Layer, drawn: Drawn, control: Control, values: Floats | None) -> list[Shell]:
    base: ScenePath = ("falloffs", falloff.id)
    within, path = (falloff.range, base) if layer.range is None else (layer.range, (*base, "layers", layer.id))
    ways: tuple[Range, Range] | None = None
    if layer.range is None and falloff.passed is not None and values is not None and len(values):
        ways = swept(values, within, 0.0), swept(values, within, 1.0)
        within = swept(values, within, falloff.passed)
    matrix = matrix_of(control.transform)
    found = []
    for end in ENDS:
        value = plain(getattr(within, end))
        lines = tuple(line @ matrix[:, :3].T + matrix[:, 3] for line in _lines(drawn, control, value))
        if lines:
            shell = Shell(end, (*path, "range", end), value, control, matrix, lines, drawn.axis)
            if ways is not None:
                begin, last = (plain(getattr(way, end)) for way in ways)
                shell = replace(shell, path=(*base, "passed"), swept=(begin, last))
            found.append(shell)
    return found


def _lines(drawn: Drawn, control: Control, value: float) -> list[Line]:
    if drawn.axis is not None:
        return [square(drawn.axis, value)]
    return DRAWINGS[control.form].shell(value) if value > 0.0 else []
