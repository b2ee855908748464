"""Running nodes, after all of them were planned: a kernel evicts the interpreter from the CPU cache, and planning is cheap
before that.

Where a node fails, its token is remembered, and the frame is planned again without it.
"""

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import numpy as np

from estompe import faults
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.node import Node, Sized, tokens_of
from estompe.evaluation.running.pending import Pending
from estompe.geometry import GeometryError
from estompe.kinds.context import CannotEvaluateError, UndeclaredError

Planned = TypeVar("Planned")


def described(error: Exception, what: str) -> str:
    """Why something failed, in words for a person; an unexpected error goes to the log."""
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
    """The nodes of one plan that wait to be run.

    attempt: counts how often a plan had to be discarded; busy: whether nodes are planned or run just now.
    """

    def __init__(self, memo: Memo, pause: Callable[[], None] | None) -> None:
        self._memo, self._pause = memo, pause
        self._pending = Pending()
        self.attempt = 0
        self.busy = False

    def finish(self) -> None:
        """From now on no pause stops the nodes that are asked for."""
        self._pause = None

    def go_on(self) -> None:
        """Raise where the work in hand is no longer wanted; kinds call it between the rounds of what takes long."""
        if self._pause is not None:
            self._pause()

    def node(self, function: Callable[..., Sized], *inputs: Any) -> Node[Sized]:
        """The node of a function and its inputs. Raises CannotEvaluateError where running it has failed.

        function: of a module, so that it sees nothing but its arguments; inputs: nodes and other inputs of
        `estompe.evaluation.running.node`, or hashable values.
        """
        return self._memo.node(self._pending, function.__name__, tokens_of(inputs), function, inputs)

    def elsewhere(self, name: str, key: Hashable, compute: Callable[[], Sized]) -> Node[Sized]:
        """A node whose value is computed outside of this plan: by the plan of another frame, or from states that were kept.

        name, key: of the node that has the value there.
        """
        return self._memo.node(self._pending, name, key, compute, ())

    def held(self, function: Callable[..., Sized], *inputs: Any) -> Node[Sized] | None:
        """The node of a function and its inputs, if it has been run and is still cached."""
        return self._memo.held(function.__name__, tokens_of(inputs))

    def settled(self, plan: Callable[[], Planned]) -> Planned:
        """What a plan gives, with all nodes that it asked for run. If one fails, the plan is made again without it."""
        was, self.busy = self.busy, True
        try:
            return self._settled(plan)
        finally:
            self.busy = was

    def _settled(self, plan: Callable[[], Planned]) -> Planned:
        while True:
            self._memo.take_in()
            failures = len(self._pending.failed)
            planned = plan()
            if len(self._pending.failed) > failures:
                # A node that a formula depends on failed during planning; earlier plans may have used it, so discard them.
                self._forget()
            elif self._run():
                return planned

    def _run(self) -> bool:
        """Run the nodes that wait, in the order they were asked for, up to one that fails."""
        pending = self._pending
        waiting, pending.waiting = pending.waiting, []
        done = 0
        try:
            # Nothing is called here but what makes the value: after a kernel each call costs many times what it does before.
            for node in waiting:
                if self._pause is not None:
                    self._pause()
                value = node.run()
                if type(value) is np.ndarray:
                    value.setflags(write=False)
                done += 1
        except Exception as error:  # a kind may raise anything; the frame goes on without its node
            node = waiting[done]
            if node.token in pending.failed:
                raise  # it was planned again all the same
            pending.failed[node.token] = described(error, node.name)
        finally:
            self._memo.keep(waiting[:done])
            pending.let_go(waiting[:done])
            if done < len(waiting):
                self._forget()
        return done == len(waiting)

    def _forget(self) -> None:
        """Let go of what was planned."""
        self._pending.forget()
        self.attempt += 1
