"""Running what was planned. Planning comes first: a kernel evicts the interpreter from the CPU cache, and planning is cheap
before that.

What fails is planned again without it: its token is remembered, and whoever asks for the stage is told why it failed.
"""

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from typing import TypeVar

import numpy as np

from estompe import faults
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.plan import Plan
from estompe.evaluation.running.stage import Sized, Stage
from estompe.geometry import GeometryError
from estompe.kinds.context import CannotEvaluateError, UndeclaredError

Planned = TypeVar("Planned")


def described(error: Exception, what: str) -> str:
    """Why something failed, in words for a person; what nobody foresaw goes to the log."""
    if isinstance(error, CannotEvaluateError | GeometryError):
        return str(error)
    return faults.record(error, what)


@contextmanager
def said_for(label: str) -> Iterator[None]:
    """Turn whatever a kind raises into words for a person. Raises CannotEvaluateError."""
    try:
        yield
    except (CannotEvaluateError, GeometryError):
        raise
    except UndeclaredError as error:
        raise CannotEvaluateError(str(error)) from None
    except Exception as error:
        raise CannotEvaluateError(described(error, label)) from error


class Schedule:
    """The stages of one frame that wait to be run.

    attempt: counts how often what was planned had to be discarded; busy: whether stages are planned or run just now.
    """

    def __init__(self, memo: Memo, pause: Callable[[], None] | None) -> None:
        self._memo, self._pause = memo, pause
        self._plan = Plan()
        self.attempt = 0
        self.busy = False

    def finish(self) -> None:
        """From now on no pause stops the stages that are asked for."""
        self._pause = None

    def go_on(self) -> None:
        """Raise where the work in hand is no longer wanted; kinds call it between the rounds of what takes long."""
        if self._pause is not None:
            self._pause()

    def stage(self, name: str, made_from: Hashable, compute: Callable[[], Sized]) -> Stage[Sized]:
        """The stage that makes something. Raises CannotEvaluateError where running it has failed."""
        return self._memo.stage(self._plan, name, made_from, compute)

    def held(self, name: str, made_from: Hashable) -> Stage[np.ndarray] | None:
        """The stage, if it has been run and is still kept."""
        return self._memo.held(name, made_from)

    def settled(self, plan: Callable[[], Planned]) -> Planned:
        """What a plan gives, with all stages that it asked for run. Where one fails, it is planned again without it."""
        was, self.busy = self.busy, True
        try:
            return self._settled(plan)
        finally:
            self.busy = was

    def _settled(self, plan: Callable[[], Planned]) -> Planned:
        while True:
            self._memo.take_in()
            failures = len(self._plan.failed)
            found = plan()
            if len(self._plan.failed) > failures:
                # A stage that a formula depends on failed during planning; earlier plans may have used it, so discard them.
                self._forget()
            elif self._run():
                return found

    def _run(self) -> bool:
        """Run what is waiting, in the order it was asked for, up to a stage that fails."""
        plan = self._plan
        waiting, plan.waiting = plan.waiting, []
        done = 0
        try:
            # Nothing is called here but what makes the value: after a kernel each call costs many times what it does before.
            for stage in waiting:
                if self._pause is not None:
                    self._pause()
                stage.made = value = stage.compute()  # type: ignore[misc]
                if type(value) is np.ndarray:
                    value.setflags(write=False)
                stage.compute = None
                done += 1
        except Exception as error:  # a kind may raise anything; the frame goes on without its stage
            stage = waiting[done]
            if stage.token in plan.failed:
                raise  # it was planned again all the same
            plan.failed[stage.token] = described(error, stage.name)
        finally:
            self._memo.keep(waiting[:done])
            plan.let_go(waiting[:done])
            if done < len(waiting):
                self._forget()
        return done == len(waiting)

    def _forget(self) -> None:
        """Let go of what was planned."""
        self._plan.forget()
        self.attempt += 1
