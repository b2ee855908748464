"""The nodes of one plan that still have to be run."""

from typing import Any

from estompe.evaluation.running.node import Node


class Pending:
    """Nodes that are not cached yet, by their tokens; those of them that wait, in the order they were asked for; and failures.

    A node that is asked for again is the same object. failed: why a node failed, by its token.
    """

    __slots__ = ("failed", "planned", "waiting")

    def __init__(self) -> None:
        self.planned: dict[int, Node[Any]] = {}
        self.waiting: list[Node[Any]] = []
        self.failed: dict[int, str] = {}

    def forget(self) -> None:
        """Let go of all nodes. Failures are remembered."""
        self.planned.clear()
        self.waiting.clear()

    def let_go(self, nodes: list[Node[Any]]) -> None:
        """Let go of nodes that are cached elsewhere from now on."""
        if len(nodes) == len(self.planned):
            self.planned.clear()
            return
        for node in nodes:
            self.planned.pop(node.token, None)
