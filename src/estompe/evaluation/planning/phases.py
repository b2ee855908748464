"""How far things that change at a speed have come: the integral of the speed over time, whatever the speed is now.

Keyed speeds are integrated exactly, since their curves are made of cubics. Speeds by formula are integrated by Simpson's rule
over each frame, from the values on whole and half frames. That is exact where the speed is a cubic of the frame; else it is
wrong by at most 1/2880 of the fourth derivative a frame (Davis and Rabinowitz, "Methods of Numerical Integration", 1984,
section 2.2).
"""

import math
from collections.abc import Callable
from typing import Any

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.project import Project
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.kinds.kind import Kind
from estompe.kinds.numbers import Formula, Keyed


class Phases:
    """The phases of one scene. value_on: the value of a number by its path on a frame."""

    def __init__(self, project: Project, value_on: Callable[[ScenePath, float], float]) -> None:
        self._scene, self._value_on = project.scene, value_on
        # For each formula the integral from the first frame to whole frames, by their number counted from there.
        self._whole: dict[ScenePath, dict[int, float]] = {}

    def at(self, path: ScenePath, frame: float) -> float:
        """Return the integral of a speed from the first frame of the shot to another, in its unit times seconds."""
        number, first = edits.get(self._scene, path), float(self._scene.first)
        if isinstance(number, Keyed):
            passed = number.integral(first, frame)
        elif isinstance(number, Formula):
            passed = self._of_formula(path, frame - first)
        else:
            passed = float(number) * (frame - first)
        return passed / self._scene.frames_per_second

    def _of_formula(self, path: ScenePath, frames: float) -> float:
        known = self._whole.setdefault(path, {0: 0.0})
        way, whole = (1 if frames >= 0 else -1), math.trunc(frames)
        for number in range(0, whole, way):
            if number + way not in known:
                known[number + way] = known[number] + self._over(path, number, number + way)
        return known[whole] + (self._over(path, whole, frames) if frames != whole else 0.0)

    def _over(self, path: ScenePath, begin: float, end: float) -> float:
        """The integral over at most a frame. begin, end: counted from the first frame."""
        first = self._scene.first
        ends = self._value_on(path, first + begin) + self._value_on(path, first + end)
        return (ends + 4.0 * self._value_on(path, first + 0.5 * (begin + end))) * (end - begin) / 6.0


def paced(kind: Any, path: ScenePath, parts: ResolvedScene, phases: Phases) -> tuple[Any, float]:
    """Return a kind and its clock on a frame. path: of the kind in the scene."""
    name: str = kind.speed_setting
    if name and isinstance(edits.get(parts.project.scene, (*path, name)), Keyed | Formula):
        made: tuple[Kind, float] = kind.paced(lambda frame: phases.at((*path, name), frame), parts.frame)
        return made
    return kind, kind.clock(parts.seconds, parts.frame)
