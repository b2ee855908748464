"""The plan of a frame: the resolved scene, and the nodes that compute what is asked of it."""

from collections.abc import Callable
from typing import TypeVar
from weakref import ref

import numpy as np

from estompe.document.naming import spoken
from estompe.document.project import Project
from estompe.evaluation.planning.others import Others
from estompe.evaluation.planning.shapes import ShapePlanner
from estompe.evaluation.planning.state import Values
from estompe.evaluation.running.memo import Memo
from estompe.kinds.context import CannotEvaluateError

Planned = TypeVar("Planned")
_SMALLEST, _LARGEST = ("smallest", "nearest"), ("largest", "farthest")


class Plan(ShapePlanner):
    """The plan of a scene on one frame. `pause` is called before each node is run and may raise.

    others: the plans of other frames; whole: resolve all of the scene now, and not only what is asked for. (Formulas that
    measure what is remembered would else send plans after each other for ever.) rough: how many times as large voxels may be.
    reductions: the value of each reduction in a formula, by its name, the falloff's id and the shape's id.
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
        self.reductions: dict[tuple[str, str, str], float] = {}
        # Weak: a circle would hold the frame's arrays until the collector comes round.
        weak = ref(self)

        def reduce(what: str, falloff: str, shape: str) -> float:
            plan = weak()
            assert plan is not None
            return plan.reduced(what, falloff, shape)

        super().__init__(project, frame, memo, others, reduce, pause, rough)
        if whole:
            self.parts.resolve()
            for path, error in self.parts.errors.items():
                self.problems.add(path, f"{spoken(project.scene, path)}: {error}")
            for path, text in self.parts.lost.items():
                self.problems.add(path, f"it cannot follow: {text}")

    def settled(self, plan: Callable[[], Planned]) -> Planned:
        """What planning gives, with all nodes that it asked for run."""
        return self.schedule.settled(plan)

    def reduced(self, what: str, falloff: str, shape: str) -> float:
        """A reduction of a falloff over a shape before its effects, on its own time. Raises LookupError with words."""
        own = self.parts.own_time(shape)
        if own is not None and own != self.frame:
            value: float = self.others.running(own).reduced(what, falloff, shape)
        else:
            value = self._reduced_now(what, falloff, shape)
        self.reductions[what, falloff, shape] = value
        return value

    def _reduced_now(self, what: str, falloff: str, shape: str) -> float:
        def plan() -> Values:
            stack = self.stack(self.parts.falloff(falloff), self.before_effects(shape))
            return self.joined(stack) if what in ("nearest", "farthest") else self.through_ramp(stack)

        try:
            values = self.settled(plan).value
        except CannotEvaluateError as error:
            raise LookupError(str(error)) from None
        if not len(values):
            raise LookupError("the shape has no points")
        if what == "mean":
            return float(values.mean(dtype=np.float64))
        return float(values.min() if what in _SMALLEST else values.max())
