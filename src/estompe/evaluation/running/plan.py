"""What one moment still has to compute."""

from typing import Any

from estompe.evaluation.running.stage import Stage


class Plan:
    """Stages that are not kept yet, by their tokens; those of them that wait, in the order they were asked for; and failures.

    Who asks for a stage again gets the one that is planned. failed: what was wrong, by the token of the stage.
    """

    __slots__ = ("failed", "planned", "waiting")

    def __init__(self) -> None:
        self.planned: dict[int, Stage[Any]] = {}
        self.waiting: list[Stage[Any]] = []
        self.failed: dict[int, str] = {}

    def forget(self) -> None:
        """Let go of all stages. What failed is remembered."""
        self.planned.clear()
        self.waiting.clear()

    def let_go(self, stages: list[Stage[Any]]) -> None:
        """Let go of stages that are kept elsewhere from now on."""
        if len(stages) == len(self.planned):
            self.planned.clear()
            return
        for stage in stages:
            self.planned.pop(stage.token, None)
