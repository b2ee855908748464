"""One scene on one frame: looking parts up, planning stages and running them, wired together."""

from collections.abc import Callable
from typing import TypeVar
from weakref import proxy

import numpy as np

from estompe.document.naming import spoken
from estompe.document.project import Project
from estompe.evaluation.planning.graph import Graph
from estompe.evaluation.planning.lookup import SceneAtFrame
from estompe.evaluation.planning.others import Others
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.state import Values
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.schedule import Schedule
from estompe.kinds.context import CannotEvaluateError

Planned = TypeVar("Planned")
_SMALLEST, _LARGEST = ("smallest", "nearest"), ("largest", "farthest")


class Moment:
    """A scene on one frame. `pause` is called before each stage is run and may raise.

    others: the other moments of the scene; whole: resolve all of the scene now, and not only what is asked for. (Formulas that
    measure what is remembered would else send moments after each other for ever.) rough: how many times as large voxels may be.
    reductions: what was found for each reduction in a formula, by its name, the falloff's id and the shape's id.
    """

    def __init__(
        self,
        project: Project,
        frame: float,
        memo: Memo,
        others: Others,
        pause: Callable[[], None] | None = None,
        whole: bool = True,
        rough: float = 1.0,
    ) -> None:
        self.frame, self.others = frame, others
        self.problems = Problems()
        self.reductions: dict[tuple[str, str, str], float] = {}
        # Weak, so that the frame's arrays go when the frame does, and not when the collector comes round.
        me = proxy(self)
        self.parts = SceneAtFrame(project, frame, lambda *asked: me.reduced(*asked), rough)
        self.schedule = Schedule(memo, pause)
        self.graph = Graph(self.parts, self.schedule, self.problems, others)
        self.measuring = self.graph.measuring
        if whole:
            self.parts.resolve()
            for path, error in self.parts.errors.items():
                self.problems.add(path, f"{spoken(project.scene, path)}: {error}")
            for path, text in self.parts.lost.items():
                self.problems.add(path, f"it cannot follow: {text}")

    def settled(self, plan: Callable[[], Planned]) -> Planned:
        """What a plan gives, with all stages that it asked for run."""
        return self.schedule.settled(plan)

    def reduced(self, what: str, falloff: str, shape: str) -> float:
        """A reduction of a falloff over a shape before its effects, on its own time. Raises LookupError with words."""
        own = self.parts.own_time(shape)
        if own is not None and own != self.frame:
            value: float = self.others.running(own).reduced(what, falloff, shape)
            self.reductions[what, falloff, shape] = value
            return value

        def plan() -> Values:
            stack = self.measuring.stack(self.parts.falloff(falloff), self.graph.before_effects(shape))
            return (
                self.measuring.joined(stack) if what in ("nearest", "farthest") else self.measuring.through_ramp(stack)
            )

        try:
            values = self.settled(plan).value
        except CannotEvaluateError as error:
            raise LookupError(str(error)) from None
        if not len(values):
            raise LookupError("the shape has no points")
        if what == "mean":
            value = float(values.mean(dtype=np.float64))
        else:
            value = float(values.min() if what in _SMALLEST else values.max())
        self.reductions[what, falloff, shape] = value
        return value
